<script setup lang="ts">
/** One cause with all its places: why, what it could cost, the ways to settle it, and accepting it as it is. */
import { computed, ref } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { kindOf, mark, type Group, harmOf } from '../plant/findings'
import { usePlant } from '../plant/store'
import { useFix } from '../plant/useFix'
import { clock } from '../plant/words'
import { useWays } from '../plant/useWays'
import FieldTask from './FieldTask.vue'
import FixPreview from './FixPreview.vue'
import WaysLeft from './WaysLeft.vue'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'

const props = defineProps<{ group: Group; catalogue: Schemas['RulesOut'] }>()
const plant = usePlant()
const { looked, busy, look, settle, leave } = useFix()
const reason = ref('')
const accepting = ref(false)
const says = ref('')
const MOST = 200
const rule = computed(() => props.catalogue.rules.find((r) => r.id === props.group.rule))
const { ways, left, trying } = useWays(() => (props.group.accepted ? [] : props.group.findings))
const inTheField = computed(() =>
  props.group.findings.length === 1 ? ways.value.filter((way) => way.in_the_field).slice(0, 1) : [],
)
/** Ways that were tried for all of them are offered for one as well. */
const offered = (label: string) => ways.value.some((way) => way.label.startsWith(kindOf(label)))
const many = computed(() => props.group.findings.length)
const tag = (point: number) =>
  plant.list.text('tag', (void plant.list.version, plant.list.row(point) ?? -1)) || 'no tag'
const service = (point: number) => plant.list.text('service', plant.list.row(point) ?? -1)
const pointsOf = (finding: Group['findings'][0]) => [...new Set(finding.cells.map((c) => c.point))]

async function send(way: '/api/waivers' | '/api/waivers/lift') {
  const keys = props.group.findings.map((f) => f.key)
  const answer =
    way === '/api/waivers'
      ? await ask(api.POST('/api/waivers', { body: { keys, reason: reason.value } }))
      : await ask(api.POST('/api/waivers/lift', { body: { keys } }))
  if (answer.problem) return void (says.value = answer.problem.title)
  plant.answered(answer.data, [])
  plant.say(
    way === '/api/waivers' ? `accepted: ${reason.value} · it is printed with the list` : 'open again',
    'plain',
    { undo: true },
  )
}

const box = ref<HTMLElement | null>(null)
useEscape(() => accepting.value, () => (accepting.value = false), box) // prettier-ignore
</script>

<template>
  <article class="panel one" :class="group.severity">
    <h2>
      <span aria-hidden="true">{{ mark(group.findings[0]!) }}</span>
      {{ rule?.name ?? `${many} of several rules` }} <span class="figure quiet small">{{ group.rule }}</span>
    </h2>
    <p v-if="rule" class="small quiet">
      {{ harmOf(catalogue, group.harm) }}{{ group.trips ? ' · one of these points shuts something' : '' }} ·
      looks at {{ rule?.looks }} ·
      {{ rule?.source }}
    </p>
    <p v-if="$slots.default"><slot /></p>
    <p v-if="group.cause" class="cause">
      {{ many }} {{ many === 1 ? 'place' : 'places' }} of one cause: <b>{{ group.cause }}</b>
    </p>
    <p v-if="group.accepted" class="small">
      ✓ accepted by {{ group.findings[0]!.waived!.who }}, {{ clock(group.findings[0]!.waived!.at) }}:
      <b>{{ group.findings[0]!.waived!.reason }}</b>
    </p>
    <template v-if="plant.may('edit') && !group.accepted">
      <p v-if="!looked && ways.length" class="ways">
        <v-btn
          v-for="way in ways"
          :key="way.label"
          class="act"
          :disabled="busy"
          @click="look(group.rule || 'of several rules', way.label, way.edits)"
        >
          {{ way.label }}{{ many > 1 ? ` · ${way.findings === many ? `all ${many}` : way.findings}` : '' }}
        </v-btn>
        <FieldTask
          v-for="way in inTheField"
          :key="`task ${way.label}`"
          :way="way"
          :finding="group.findings[0]!"
        />
      </p>
      <FixPreview v-else-if="looked" :looked="looked" :busy="busy" @settle="settle" @leave="leave" />
      <WaysLeft v-if="!looked" :left="left" :trying="trying" />
    </template>
    <ol>
      <li v-for="finding in group.findings.slice(0, MOST)" :key="finding.key">
        <p v-if="pointsOf(finding).length" class="tags">
          <router-link
            v-for="point in pointsOf(finding).slice(0, 8)"
            :key="point"
            v-tip="service(point)"
            :to="`/point/${point}`"
            class="figure tag"
            >{{ tag(point) }}</router-link
          >
          <span v-if="pointsOf(finding).length > 8" class="quiet small"
            >and {{ pointsOf(finding).length - 8 }} more</span
          >
          <span v-if="pointsOf(finding).length === 1" class="quiet small">{{
            service(pointsOf(finding)[0]!)
          }}</span>
          <span v-if="finding.trips" class="chip settle">shuts something</span>
        </p>
        <p v-if="many === 1 || finding.text !== group.text || finding === group.findings[0]">
          <span v-if="!rule" class="figure quiet small">{{ finding.rule }}</span> {{ finding.text }}
        </p>
        <p v-if="finding.waived && !finding.waived.holds" class="small settle">
          ▲ was accepted ({{ finding.waived.reason }}, {{ finding.waived.who }}): its facts have changed since
        </p>
        <p v-if="many > 1 && !group.accepted && plant.may('edit') && finding.fixes.length" class="ways">
          <v-btn
            v-for="fix in finding.fixes.filter((f) => offered(f.label))"
            :key="fix.label"
            v-tip="fix.label"
            class="mini"
            @click="look(finding.rule, fix.label, fix.edits)"
          >
            {{ kindOf(fix.label) }} here
          </v-btn>
        </p>
      </li>
    </ol>
    <p v-if="many > MOST" class="quiet small">and {{ many - MOST }} more</p>
    <footer v-if="plant.may('engineer')">
      <v-btn v-if="group.accepted" class="act" @click="send('/api/waivers/lift')">
        open {{ many === 1 ? 'it' : `all ${many}` }} again
      </v-btn>
      <v-btn v-else-if="!accepting" class="mini" @click="accepting = true">
        accept {{ many === 1 ? 'it' : `all ${many}` }} as {{ many === 1 ? 'it is' : 'they are' }} …
      </v-btn>
      <form v-else ref="box" @submit.prevent="send('/api/waivers')">
        <label class="small" for="because">why it may stay so: printed with the list, with your name</label>
        <DenseField id="because" v-model="reason" class="setting" maxlength="400" autofocus />
        <p v-if="says" class="bad small" role="alert">■ {{ says }}</p>
        <p class="ways">
          <v-btn type="submit" class="act main" :disabled="!reason.trim()">accept</v-btn>
          <v-btn class="act" @click="accepting = false">leave it</v-btn>
        </p>
        <p class="quiet small">It holds for the facts as they are: when they change, it is open again.</p>
      </form>
    </footer>
  </article>
</template>

<style scoped>
.one {
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 12px 16px;
  overflow: auto;
}

h2 {
  margin: 0;
  font-size: 15px;
}

.one.bad h2 > span:first-child {
  color: rgb(var(--v-theme-bad));
}

.one.settle h2 > span:first-child {
  color: rgb(var(--v-theme-settle));
}

p {
  margin: 0;
}

ol {
  display: grid;
  gap: 7px;
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  display: grid;
  gap: 2px;
  padding-top: 6px;
  border-top: 1px solid rgb(var(--v-theme-line));
}

.tags,
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
}

.tag {
  color: inherit;
  font-weight: 600;
}

form {
  display: grid;
  gap: 6px;
}
</style>
