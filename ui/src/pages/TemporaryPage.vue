<script setup lang="ts">
/** Temporary changes: forces, values replaced here, lifted wires, jumpers, inhibits …: one log, owned and aged. */
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import { useEscape } from '../plant/escape'
import { usePlant } from '../plant/store'
import { age, clock } from '../plant/words'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'

const plant = usePlant()
const KINDS = ['lifted wire', 'jumper', 'inhibit', 'transmitter simulating', 'controller in manual'] as const
const kind = ref<(typeof KINDS)[number]>('lifted wire')
const tag = ref('')
const what = ref('')
const why = ref('')
const minutes = ref(0)
const ended = shallowRef<Schemas['EntryOut'][]>([])
const ending = ref<number | null>(null)
const how = ref('')
const endBox = ref<HTMLElement[]>([])
useEscape(() => ending.value !== null, () => (ending.value = null), computed(() => endBox.value[0] ?? null)) // prettier-ignore
const busy = ref(false)
const tick = ref(0)
const says = ref('')

const cell = (point: number, field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point) ?? -1)
)
const now = () => (void tick.value, plant.live.time())
const old = (iso: string) => age(Math.max(0, (now() - Date.parse(iso)) / 1000))
const overdue = (t: Schemas['EntryOut']) => !!t.due && Date.parse(t.due) < now()
const open = computed(() => [...plant.temporary].sort((a, b) => a.at.localeCompare(b.at)))
const forces = computed(() => open.value.filter((t) => t.kind === 'force' || t.kind === 'substitute here'))

async function enter() {
  const wanted = tag.value.trim().toLowerCase()
  const row = plant.list.ids.findIndex((_, r) => plant.list.text('tag', r).toLowerCase() === wanted)
  if (row < 0) return (says.value = `there is no point “${tag.value}” on the list`)
  const body = {
    kind: kind.value,
    point: plant.list.ids[row]!,
    what: what.value,
    why: why.value,
    minutes: minutes.value,
  }
  const answer = await ask(api.POST('/api/temporary', { body }))
  says.value = answer.problem ? said(answer.problem) : ''
  if (answer.data) what.value = why.value = tag.value = ''
}

async function end(number: number) {
  busy.value = true
  const answer = await ask(
    api.POST('/api/temporary/{number}/end', { params: { path: { number } }, body: { why: how.value } }),
  )
  busy.value = false
  if (answer.problem) return plant.say(said(answer.problem), 'bad')
  if (answer.data.failed.length) plant.say(answer.data.failed.join('; '), 'bad')
  ending.value = null
  how.value = ''
}

async function releaseAll() {
  busy.value = true
  const answer = await ask(api.POST('/api/forces/release', { body: { why: 'all let go' } }))
  busy.value = false
  if (answer.problem) return plant.say(said(answer.problem), 'bad')
  plant.say(
    `${answer.data.released} let go${answer.data.failed.length ? ` · not: ${answer.data.failed.join('; ')}` : ''}`,
    answer.data.failed.length ? 'bad' : 'plain',
  )
}

async function load() {
  ended.value = (await ask(api.GET('/api/temporary'))).data?.ended ?? []
}
watch(() => plant.temporary, load) // prettier-ignore
onMounted(load)
useIntervalFn(() => tick.value++, 1000)
</script>

<template>
  <section class="temporary">
    <div class="work">
      <div class="head">
        <h1>{{ open.length ? `${open.length} open` : 'nothing is open' }}</h1>
        <p class="quiet">whatever is changed for a while stands here until it is put back</p>
        <span class="gap" />
        <v-btn
          v-if="forces.length && plant.may('edit')"
          class="act main"
          :disabled="busy"
          @click="releaseAll"
        >
          {{
            forces.length === 1 ? 'let go of what is held' : `let go of all ${forces.length} that are held`
          }}
        </v-btn>
      </div>
      <table v-if="open.length" class="ledger">
        <thead>
          <tr>
            <th></th>
            <th>what</th>
            <th>point</th>
            <th>by</th>
            <th>for</th>
            <th>why</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in open" :key="t.id" :class="{ overdue: overdue(t) }">
            <td aria-hidden="true">{{ overdue(t) ? '▲' : '◇' }}</td>
            <td>
              <b>{{ t.kind }}</b> {{ t.what }}
            </td>
            <td>
              <router-link class="figure tag" :to="`/now/${t.point}`">{{
                cell(t.point, 'tag') || 'gone from the list'
              }}</router-link>
              <span v-if="cell(t.point, 'trips')" class="settle"> ▲ it {{ cell(t.point, 'trips') }}</span>
            </td>
            <td>{{ t.who }}</td>
            <td v-tip="clock(t.at)" class="figure">
              {{ old(t.at) }}<span v-if="overdue(t)"> · overdue</span>
            </td>
            <td>{{ t.why }}</td>
            <td>
              <form v-if="ending === t.id" ref="endBox" class="end" @submit.prevent="end(t.id)">
                <DenseField
                  v-model="how"
                  placeholder="how it was put back"
                  maxlength="200"
                  aria-label="how it was put back"
                />
                <v-btn class="act main" type="submit" :disabled="busy">it is back</v-btn>
              </form>
              <v-btn v-else-if="plant.may('edit')" class="act" @click="ending = t.id"> put back… </v-btn>
            </td>
          </tr>
        </tbody>
      </table>
      <form v-if="plant.may('edit')" class="panel enter" @submit.prevent="enter">
        <h2>enter one that was made by hand</h2>
        <ChoiceField v-model="kind" aria-label="kind" :items="KINDS" />
        <DenseField v-model="tag" class="figure" size="12" placeholder="tag" aria-label="tag" required />
        <DenseField
          v-model="what"
          size="30"
          placeholder="which wire, from where to where"
          aria-label="what"
          required
          maxlength="200"
        />
        <DenseField v-model="why" size="20" placeholder="why" aria-label="why" maxlength="200" />
        <label
          >due in <DenseField v-model.number="minutes" type="number" min="0" max="10080" /> min, 0 as the
          plant says</label
        >
        <v-btn class="act main" type="submit">enter</v-btn>
        <p v-if="says" class="bad">■ {{ says }}</p>
      </form>
      <h2 v-if="ended.length">put back</h2>
      <table v-if="ended.length" class="ledger quiet">
        <tbody>
          <tr v-for="t in ended" :key="t.id">
            <td>{{ t.kind }} {{ t.what }}</td>
            <td class="figure">{{ cell(t.point, 'tag') }}</td>
            <td>{{ t.who }}, {{ clock(t.at) }}</td>
            <td>
              back {{ t.ended_at ? clock(t.ended_at) : '' }} by {{ t.ended_by
              }}{{ t.ended_why ? `: ${t.ended_why}` : '' }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.temporary {
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  height: 100%;
}

.work {
  overflow: auto;
  padding: 12px 14px;
}

.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
}

h1 {
  margin: 0;
  font-size: 18px;
}

h2 {
  width: 100%;
  margin: 0 0 4px;
  font-size: 14px;
}

p {
  margin: 0;
}

.gap {
  flex: 1;
}

.ledger {
  margin: 8px 0 12px;
}

tr td:first-child {
  color: rgb(var(--v-theme-apart));
}

tr.overdue td:first-child,
.settle,
tr.overdue .figure {
  color: rgb(var(--v-theme-settle));
}

.tag {
  color: inherit;
  font-weight: 600;
}

.enter,
.end {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 10px;
}

.enter {
  margin-bottom: 14px;
  padding: 8px 12px;
}

input:not([type='number']) {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

input[type='number'] {
  width: 64px;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
