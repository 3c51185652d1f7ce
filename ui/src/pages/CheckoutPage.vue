<script setup lang="ts">
/** It finds me: set out with a calibrator, play the pattern at a device, and its check opens and fills itself in. */
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { ask, api, said, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { useSearch } from '../plant/useSearch'
import { clock, figure } from '../plant/words'
import DenseField from '../kit/DenseField.vue'
import InstrumentsPanel from '../parts/check/InstrumentsPanel.vue'

const plant = usePlant()
const router = useRouter()
const { findRows } = useSearch()
const walk = shallowRef<Schemas['WalkOut'] | null>(null)
const query = ref('')
const expected = ref<number[]>([])
const says = ref('')
const follow = ref(true)
/** What a walk that is over did not find. */
const left = ref<number[]>([])
const cell = (point: number, field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point) ?? -1)
)
const offered = computed(() =>
  query.value.trim()
    ? findRows(query.value)
        .rows.slice(0, 40)
        .map((r) => plant.list.ids[r]!)
    : [],
)
const next = computed(() => walk.value?.missing[0])
/** The newest that was seen; -1 until this page knows what was found before it opened. */
let known = -1

async function load() {
  const answer = await ask(api.GET('/api/walk'))
  if (answer.problem) return (says.value = said(answer.problem))
  walk.value = answer.data
  const newest = answer.data.found.at(-1)
  if (newest && known >= 0 && newest.id > known && follow.value && newest.takes)
    void router.push(`/check/${newest.point}?found=${newest.id}`)
  known = newest?.id ?? Math.max(known, 0)
}

async function setOut() {
  const answer = await ask(api.PUT('/api/walk', { body: { expected: expected.value } }))
  if (answer.problem) return (says.value = said(answer.problem))
  walk.value = answer.data
  left.value = []
  known = 0
  says.value = ''
}

async function comeBack() {
  const answer = await ask(api.DELETE('/api/walk'))
  if (answer.data) walk.value = answer.data
  left.value = answer.data?.missing ?? []
  expected.value = []
}

function toggle(point: number) {
  expected.value = expected.value.includes(point)
    ? expected.value.filter((p) => p !== point)
    : [...expected.value, point]
}

watch(() => plant.foundSeen, load) // prettier-ignore
// What was found while the stream was away is not told again: it is looked for as well.
watch(() => plant.linkUp, load) // prettier-ignore
onMounted(load)
useIntervalFn(() => walk.value?.begins && void load(), 4000)
</script>

<template>
  <section class="checkout">
    <header>
      <h1>checkout</h1>
      <span class="quiet">walk to the device and touch no screen: the scan watches every point</span>
      <span class="gap" />
      <span v-if="walk?.others.length" class="chip">also walking: {{ walk.others.join(', ') }}</span>
      <v-checkbox v-if="walk?.begins" v-model="follow" label="open the page of what is found" />
      <v-btn v-if="walk?.begins" class="act" @click="comeBack">I am back</v-btn>
    </header>
    <p v-if="says" class="bad">■ {{ says }}</p>
    <div class="two">
      <section class="panel side">
        <h2>what to play</h2>
        <svg viewBox="0 0 300 84" role="img" aria-label="staircase of nine levels">
          <path d="M6 74H38V58H70V42H102V26H134V10H166V26H198V42H230V58H262V74H294" />
        </svg>
        <p>
          4-8-12-16-20-16-12-8-4 mA, each level until it has stood for three seconds; or the same five steps
          up and back in ohms, mV or volts.
        </p>
        <p>At a contact: short, long, short: one second, four seconds, one second.</p>
        <p class="quiet">
          A point that shuts something is never taken by itself, and two at once are asked about.
        </p>
        <template v-if="!walk?.begins">
          <h2>which points, in which order</h2>
          <p class="quiet small">leave it empty to be found anywhere; named points tell swapped cores</p>
          <DenseField
            v-model="query"
            type="search"
            placeholder="kiln 2 signal:4-20"
            aria-label="find points to walk to"
          />
          <div class="offers">
            <v-btn
              v-for="p in offered"
              :key="p"
              class="chip"
              :class="{ on: expected.includes(p) }"
              @click="toggle(p)"
            >
              {{ expected.includes(p) ? `${expected.indexOf(p) + 1} ` : '' }}{{ cell(p, 'tag') }}
            </v-btn>
          </div>
          <p v-if="expected.length">{{ expected.map((p) => cell(p, 'tag')).join(' → ') }}</p>
          <v-btn class="act main" :disabled="!plant.may('inject')" @click="setOut"> set out </v-btn>
        </template>
        <p v-else-if="next" class="next">
          next: <b class="figure">{{ cell(next, 'tag') }}</b> {{ cell(next, 'service') }}
        </p>
        <p v-else class="next">watching every point</p>
      </section>
      <section class="found">
        <p v-for="s in walk?.swapped ?? []" :key="`${s.one}:${s.other}`" class="card swapped">
          ■ {{ cell(s.one, 'tag') }} and {{ cell(s.other, 'tag') }} answer in each other’s place: their cores
          are swapped
        </p>
        <article v-for="f in [...(walk?.found ?? [])].reverse()" :key="f.id" class="card">
          <p>
            <span aria-hidden="true">{{ f.takes ? '✓' : '▲' }}</span>
            <b class="figure">{{ cell(f.point, 'tag') }}</b> {{ cell(f.point, 'service') }} ·
            {{ f.pattern }} · {{ clock(f.at) }}
          </p>
          <p :class="{ settle: !f.takes }">{{ f.says }}</p>
          <p v-if="f.plateaus.length" class="figure small">
            {{ f.plateaus.map((p) => figure(p.signal, 2)).join('  ') }}
          </p>
          <router-link class="act" :to="`/check/${f.point}?found=${f.id}`">{{
            f.takes ? 'its check' : 'take it all the same'
          }}</router-link>
        </article>
        <p v-if="walk?.begins && walk.found.length && walk.missing.length" class="quiet">
          not found so far: {{ walk.missing.map((p) => cell(p, 'tag')).join(', ') }}
        </p>
        <p v-if="left.length" class="card settle" role="status">
          ▲ not found on this walk:
          <router-link v-for="p in left" :key="p" class="figure" :to="`/check/${p}`">
            {{ cell(p, 'tag') }}</router-link
          >
          · no wire, another channel, or nobody was there
        </p>
        <p v-if="walk?.begins && !walk.found.length" class="quiet">nothing was played yet</p>
        <p v-if="walk && !walk.begins" class="quiet">you have not set out yet: set out, then play</p>
        <InstrumentsPanel />
      </section>
    </div>
  </section>
</template>

<style scoped>
.checkout {
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}

header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 10px;
}

h1 {
  margin: 0;
  font-size: 18px;
}

.gap {
  flex: 1;
}

.two {
  display: grid;
  grid-template-columns: 360px minmax(0, 1fr);
  gap: 12px;
  margin-top: 10px;
}

svg {
  width: 100%;
}

path {
  fill: none;
  stroke: rgb(var(--v-theme-copper));
  stroke-width: 3;
}

input[type='search'] {
  width: 100%;
  padding: 4px 8px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: var(--radius);
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
}

.offers {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin: 6px 0;
}

.found {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.card p {
  margin: 0 0 4px;
}

.card a {
  display: inline-block;
  text-decoration: none;
}

.swapped {
  margin: 0;
  border-left-color: rgb(var(--v-theme-bad));
  color: rgb(var(--v-theme-bad));
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.next {
  font-size: 16px;
}

@media (max-width: 800px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
