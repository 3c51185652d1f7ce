<script setup lang="ts">
/** How far the plant has come: every part of it with its ladder as a picture and as figures; what is ready is accepted here. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import { useTags } from '../plant/proving'
import { usePlant } from '../plant/store'

type By = 'area' | 'cabinet' | 'system' | 'kind'
const BY: readonly By[] = ['area', 'cabinet', 'system', 'kind']
const plant = usePlant()
const { cell } = useTags()
const by = ref<By>('area')
const progress = shallowRef<Schemas['ProgressOut'] | null>(null)
const at = ref<string | null>(null)
const name = ref('')
const password = ref('')
const says = ref('')
const busy = ref(false)
const outcome = shallowRef<Schemas['AcceptedOut'] | null>(null)

async function load() {
  const answer = await ask(api.GET('/api/progress', { params: { query: { by: by.value } } }))
  if (answer.problem) return (says.value = said(answer.problem))
  progress.value = answer.data
}
watch(by, () => ((at.value = null), load()))
watch(() => plant.list.version, load)
onMounted(load)

const STEPS = computed(() => ['nothing yet', ...(progress.value?.rungs ?? [])])
const share = (count: number, of: number) => (of ? (100 * count) / of : 0)
/** Points on a rung or above it. */
const upTo = (group: Schemas['GroupOut'], rung: number) =>
  group.counts.slice(rung + 1).reduce((sum, n) => sum + n, 0)
const FIELD: Record<By, string> = { area: 'area', cabinet: 'cabinet', system: 'system', kind: 'signal' }
/** The points of the part that is looked at, on the rungs before the last. */
const here = computed(() => {
  void plant.list.version
  if (at.value === null) return []
  return plant.list.ids.filter(
    (point) => cell(point, FIELD[by.value]) === at.value && cell(point, 'status') !== 'accepted',
  )
})
const ready = computed(() =>
  here.value.filter((p) => ['loop-checked', 'function-tested'].includes(cell(p, 'status'))),
)

async function accept() {
  busy.value = true
  const body = { points: ready.value, name: name.value, password: password.value }
  const answer = await ask(api.POST('/api/acceptance', { body }))
  busy.value = false
  password.value = ''
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  outcome.value = answer.data
  await load()
}
</script>

<template>
  <section class="desk">
    <header>
      <h1>how far</h1>
      <span class="quiet">what was signed and marked, and by it how far every point has come</span>
      <span class="gap" />
      <label>by <ChoiceField v-model="by" :items="BY" aria-label="divided by" /></label>
    </header>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <div v-if="progress" class="wide">
      <table class="ledger">
        <thead>
          <tr>
            <th>{{ by }}</th>
            <th class="n">points</th>
            <th class="ladder">wired → accepted</th>
            <th v-for="rung in progress.rungs" :key="rung" class="n">{{ rung }}</th>
            <th class="n">open A</th>
            <th class="n">B</th>
            <th class="n">C</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(g, i) in [progress.whole, ...progress.groups]"
            :key="i ? `part ${g.name}` : 'whole'"
            :class="{ whole: !i, here: i && at === g.name }"
          >
            <td>
              <b v-if="!i">the whole plant</b>
              <v-btn
                v-else
                class="mini"
                :aria-pressed="at === g.name"
                @click="((at = at === g.name ? null : g.name), (outcome = null))"
                >{{ g.name || `no ${by}` }}</v-btn
              >
            </td>
            <td class="n figure">{{ g.points }}</td>
            <td class="ladder">
              <span
                class="bar"
                role="img"
                :aria-label="STEPS.map((s, k) => `${g.counts[k]} ${s}`).join(', ')"
              >
                <i
                  v-for="(count, k) in [...g.counts].reverse()"
                  :key="k"
                  v-tip="`${count} ${STEPS[6 - k]}`"
                  :class="`r${6 - k}`"
                  :style="{ width: `${share(count, g.points)}%` }"
                />
              </span>
            </td>
            <td v-for="(rung, k) in progress.rungs" :key="rung" class="n figure">
              <template v-if="upTo(g, k)">
                {{ upTo(g, k) }}
                <span class="quiet">{{ Math.floor(share(upTo(g, k), g.points)) }} %</span>
              </template>
              <span v-else class="quiet">–</span>
            </td>
            <td class="n figure" :class="{ bad: g.open_a }">{{ g.open_a || '' }}</td>
            <td class="n figure">{{ g.open_b || '' }}</td>
            <td class="n figure">{{ g.open_c || '' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="progress" class="keys quiet small" aria-hidden="true">
      <span v-for="(s, k) in STEPS" :key="s"><i :class="`r${k}`" /> {{ s }}</span>
    </p>
    <section v-if="at !== null" class="panel">
      <h2>{{ at || `no ${by}` }}: {{ here.length }} not accepted yet, {{ ready.length }} ready to be</h2>
      <form v-if="ready.length && plant.may('engineer')" class="line" @submit.prevent="accept">
        <DenseField v-model="name" placeholder="your name" aria-label="your name" maxlength="80" required />
        <DenseField
          v-model="password"
          type="password"
          placeholder="your password once more"
          aria-label="your password once more"
          maxlength="200"
          autocomplete="current-password"
          required
        />
        <v-btn class="act main" type="submit" :disabled="busy">{{
          busy ? 'accepting…' : `accept the ${ready.length} that are loop-checked`
        }}</v-btn>
        <span class="quiet small">who is not ready is named with why; nothing else happens to it</span>
      </form>
      <p v-else-if="!plant.may('engineer')" class="quiet">an engineer accepts them</p>
      <template v-if="outcome">
        <p role="status">✓ {{ outcome.accepted.length }} accepted, {{ outcome.refused.length }} not</p>
        <p v-for="r in outcome.refused" :key="r.point" class="settle">
          ▲ <router-link class="figure" :to="`/check/${r.point}`">{{ r.tag }}</router-link>
          {{ r.reasons.map((x) => x.says).join('; ') }}
        </p>
      </template>
      <p class="line">
        <router-link
          v-for="p in here.slice(0, 200)"
          :key="p"
          v-tip="`${cell(p, 'service')} · ${cell(p, 'status') || 'nothing yet'}`"
          class="chip figure"
          :to="`/check/${p}`"
          >{{ cell(p, 'tag') }}</router-link
        >
        <span v-if="here.length > 200" class="quiet">and {{ here.length - 200 }} more</span>
      </p>
    </section>
  </section>
</template>

<style scoped src="../parts/check/desk.css"></style>

<style scoped>
.ladder {
  width: 30%;
  min-width: 180px;
}

.bar {
  display: flex;
  height: 14px;
  border: 1px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-surface));
}

.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}

.keys i {
  display: inline-block;
  width: 18px;
  height: 10px;
  border: 1px solid rgb(var(--v-theme-duct));
}

/* Each rung is darker and closer hatched than the one below: told apart without colour. */
.r6 {
  background: rgb(var(--v-theme-copper));
}

.r5 {
  background: repeating-linear-gradient(
    135deg,
    rgb(var(--v-theme-copper)) 0 5px,
    rgb(var(--v-theme-copper-wash)) 5px 7px
  );
}

.r4 {
  background: repeating-linear-gradient(
    135deg,
    rgb(var(--v-theme-copper)) 0 2px,
    rgb(var(--v-theme-copper-wash)) 2px 7px
  );
}

.r3 {
  background: repeating-linear-gradient(
    90deg,
    rgb(var(--v-theme-duct)) 0 4px,
    rgb(var(--v-theme-surface)) 4px 6px
  );
}

.r2 {
  background: repeating-linear-gradient(
    90deg,
    rgb(var(--v-theme-duct)) 0 2px,
    rgb(var(--v-theme-surface)) 2px 6px
  );
}

.r1 {
  background: repeating-linear-gradient(
    90deg,
    rgb(var(--v-theme-duct)) 0 1px,
    rgb(var(--v-theme-surface)) 1px 8px
  );
}

.whole td {
  background: rgb(var(--v-theme-band));
}

tr.here td {
  background: rgb(var(--v-theme-copper-wash));
}
</style>
