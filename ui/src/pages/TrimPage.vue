<script setup lang="ts">
/** A channel trimmed while it runs: known signals are put on one after the other, each is taken once its counts stand still,
 * and what was found is accepted beside what the data sheet says. */
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { ask, api, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import TrimAccept from '../parts/check/TrimAccept.vue'
import TrimPlot from '../parts/check/TrimPlot.vue'
import TrimUses from '../parts/check/TrimUses.vue'
import { nowOf } from '../plant/now'
import { Settling, type Settled } from '../plant/settling'
import { usePlant } from '../plant/store'
import { clock, figure } from '../plant/words'

/** Where the counts must lie to be taken for a level, of the span: nearer than to the next one. */
const NEAR = 0.12
const plant = usePlant()
const route = useRoute()
const point = computed(() => Number(route.params.point))
const trim = shallowRef<Schemas['TrimOut'] | null>(null)
const outcome = shallowRef<Schemas['TrimmedOut'] | null>(null)
const many = ref('2')
const captures = ref<Schemas['CaptureIn'][]>([])
const at = ref(0)
const seen = shallowRef<Settled>({ counts: [], mean: NaN, sigma: 0, still: false })
const says = ref('')
const busy = ref(false)
const standIn = ref(false)
let settling = new Settling(20, 0)
let stop: (() => void) | undefined

const row = computed(() => (void plant.list.version, plant.list.row(point.value) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const now = computed(() => (void plant.live.version, nowOf(plant, point.value)))
const rack = computed(() => plant.list.racks[row.value] ?? 0)
const levels = computed(() => trim.value?.levels[many.value] ?? [])
const span = computed(() => Math.abs((trim.value?.ends[1] ?? 0) - (trim.value?.ends[0] ?? 0)))
const taken = computed(() => captures.value.filter((c) => c.counts.length).length)
const numbered = (of: string) =>
  Number(
    of
      .replace(/[\s\u202f]/g, '')
      .replace('\u2212', '-')
      .replace(',', '.'),
  )
const counted = (of: number | null | undefined) => (of == null || Number.isNaN(of) ? '–' : figure(of, span.value > 100 ? 1 : 4)) // prettier-ignore

async function load() {
  const answer = await ask(api.GET('/api/points/{point}/trim', { params: { path: { point: point.value } } }))
  if (answer.problem) return (says.value = said(answer.problem))
  trim.value = answer.data
  const source = await ask(
    api.GET('/api/points/{point}/source', { params: { path: { point: point.value } } }),
  )
  standIn.value = source.data?.why_not === ''
  if (!comeAgain()) begin()
}

/** What was counted and not accepted is kept in this browser, as long as the list says the same: a lost page loses no work. */
const key = () => `canaleta-trim-${point.value}`
const keep = () => localStorage.setItem(key(), JSON.stringify({ seq: trim.value?.seq, many: many.value, captures: captures.value })) // prettier-ignore

function comeAgain(): boolean {
  const kept = JSON.parse(localStorage.getItem(key()) ?? 'null') as { seq: number; many: string; captures: Schemas['CaptureIn'][] } | null // prettier-ignore
  if (!kept || kept.seq !== trim.value?.seq || !kept.captures.some((c) => c.counts.length)) return false
  many.value = kept.many
  captures.value = kept.captures
  const open = kept.captures.findIndex((c) => !c.counts.length)
  look(open < 0 ? kept.captures.length : open)
  void judge()
  return true
}

function begin() {
  captures.value = levels.value.map((level) => ({ signal: level.signal, counts: [] }))
  outcome.value = null
  localStorage.removeItem(key())
  look(0)
}

/** Wait for a level: what was counted before says nothing of it. */
function look(level: number) {
  at.value = level
  settling = new Settling(trim.value?.samples ?? 20, trim.value?.scatter ?? 0)
  seen.value = settling.now()
}

async function judge() {
  keep()
  const some = captures.value.filter((c) => c.counts.length)
  if (!some.length) return (outcome.value = null)
  const answer = await ask(
    api.POST('/api/points/{point}/trim/judge', { params: { path: { point: point.value } }, body: { captures: some } }), // prettier-ignore
  )
  if (answer.problem) return (says.value = said(answer.problem))
  outcome.value = answer.data
}

/** What the server made of a level, by its place among those that were taken. */
const judged = (i: number) =>
  captures.value[i]?.counts.length
    ? outcome.value?.levels[captures.value.slice(0, i).filter((c) => c.counts.length).length]
    : undefined

function heard(of: number) {
  const level = levels.value[at.value]
  const reading = plant.live.at(point.value)
  if (of !== rack.value || !reading || !level || trim.value?.driven) return
  const before = seen.value.mean
  settling.take(reading)
  // A signal that has just been put on begins anew: samples of two levels have no mean.
  if (Math.abs(reading.counts - before) > NEAR * span.value) {
    settling.again()
    settling.take(reading)
  }
  seen.value = settling.now()
  if (seen.value.still && Math.abs(seen.value.mean - numbered(level.specified)) <= NEAR * span.value) void take(seen.value.counts) // prettier-ignore
}

async function take(counts: (number | null)[]) {
  const level = at.value
  captures.value = captures.value.map((c, i) => (i === level ? { ...c, counts } : c))
  const open = captures.value.findIndex((c) => !c.counts.length)
  look(open < 0 ? levels.value.length : open)
  await judge()
}

/** Of an output: what it is given now, and what the meter says of it. */
function metered() {
  const reading = plant.live.at(point.value)
  if (reading) void take([reading.counts])
}

function again(level: number) {
  captures.value = captures.value.map((c, i) => (i === level ? { ...c, counts: [] } : c))
  look(level)
  void judge()
}

function setSignal(level: number, typed: string) {
  if (!typed.trim()) return
  captures.value = captures.value.map((c, i) => (i === level ? { ...c, signal: typed.trim() } : c))
  void judge()
}

function setJunction(typed: string) {
  const junction = typed.trim() ? numbered(typed) : null
  if (Number.isNaN(junction)) return (says.value = `“${typed}” is no temperature`)
  captures.value = captures.value.map((c) => ({ ...c, junction }))
  void judge()
}

/** On a stand-in the levels are put on one after the other, each until it is taken. */
async function play() {
  busy.value = true
  const put = (signal: string) =>
    ask(api.PUT('/api/points/{point}/injection', { params: { path: { point: point.value } }, body: { text: signal, form: 'fixed', high: '', period_s: 10, faults: [] } })) // prettier-ignore
  begin()
  for (let k = 0; k < levels.value.length; k++) {
    const answer = await put(captures.value[k]!.signal)
    if (answer.problem) {
      says.value = said(answer.problem)
      break
    }
    const waits = 3 * (trim.value!.samples + 4) * Math.max(trim.value!.period_s, 0.2)
    for (let tries = 0; tries < waits * 5 && !captures.value[k]!.counts.length && busy.value; tries++)
      await wait(200)
    if (!captures.value[k]!.counts.length) {
      says.value = `at ${captures.value[k]!.signal} ${trim.value!.unit} the counts did not come to rest`
      break
    }
  }
  await put('')
  busy.value = false
}

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

async function accepted(record: Schemas['RecordOut']) {
  says.value = `${record.verdict} · signed as record ${record.id}`
  await load()
}

async function takeBack() {
  const answer = await ask(
    api.POST('/api/points/{point}/trim/back', {
      params: { path: { point: point.value } },
      body: { why: '' },
    }),
  )
  says.value = answer.problem
    ? said(answer.problem)
    : 'it counts as its data sheet says again; the record stays'
  await load()
}

watch(point, load)
watch(rack, (r) => r && plant.watch([r]), { immediate: true })
onMounted(() => {
  void load()
  stop = plant.live.onBlock(heard)
})
onUnmounted(() => {
  busy.value = false
  stop?.()
})
</script>

<template>
  <section class="trim sheet">
    <header>
      <h1 class="figure">{{ text('tag') }}</h1>
      <span>{{ trim?.driven ? 'trim of the output' : 'trim of the channel' }}</span>
      <span class="quiet">{{ text('service') }} · {{ text('channel') }}</span>
      <span class="gap" />
      <router-link class="chip" :to="`/point/${point}`">path</router-link>
      <router-link class="chip" :to="`/check/${point}`">loop check</router-link>
    </header>
    <p v-if="says" class="says" role="status">{{ says }}</p>
    <p v-if="trim?.why_not" class="none">{{ trim.why_not }}</p>
    <div v-else-if="trim" class="work">
      <div class="left">
        <ol class="levels" aria-label="levels to put on">
          <li
            v-for="(level, i) in levels"
            :key="i"
            class="figure"
            :class="{ here: at === i, done: captures[i]?.counts.length, bad: judged(i)?.refused.length }"
          >
            <v-btn class="level" :aria-label="`take level ${i + 1} again`" @click="again(i)">
              {{ captures[i]?.signal ?? level.signal }} {{ trim.unit }}
              <span class="small">{{
                captures[i]?.counts.length ? (judged(i)?.refused.length ? '■' : '✓') : ''
              }}</span>
            </v-btn>
          </li>
        </ol>
        <div class="big panel">
          <div>
            <span class="quiet small">{{ trim.driven ? 'meter at the terminals' : 'put on' }}</span>
            <b class="figure">{{ captures[at]?.signal ?? '–' }}</b>
            <span>{{ trim.unit }}, {{ trim.driven ? 'as the meter says' : 'from the calibrator' }}</span>
          </div>
          <div>
            <span class="quiet small">{{ trim.driven ? 'the output is given' : 'the channel counts' }}</span>
            <b class="figure">{{
              now.reading ? figure(now.reading.counts, Number.isInteger(now.reading.counts) ? 0 : 4) : '–'
            }}</b>
            <span v-if="!trim.driven" class="rest" role="status">
              <template v-if="at < levels.length">
                <v-progress-linear
                  :model-value="(100 * seen.counts.length) / trim.samples"
                  color="copper"
                  aria-label="samples of this level"
                />
                {{ seen.counts.length }} of {{ trim.samples }} · scatter {{ figure(seen.sigma, 2) }}, at most
                {{ figure(trim.scatter ?? 0, 1) }}
              </template>
              <template v-else>every level is taken</template>
            </span>
          </div>
          <div>
            <span class="quiet small">shown</span>
            <b class="figure" :class="now.kind">{{ now.text }}</b>
            <span>{{ now.unit }}</span>
          </div>
        </div>
        <div class="keys">
          <span class="field inline"
            >levels
            <ChoiceField
              :model-value="many"
              aria-label="how many levels"
              :items="[
                { value: '2', title: 'two' },
                { value: '3', title: 'three' },
                { value: '5', title: 'five' },
              ]"
              @update:model-value="((many = String($event)), begin())" /></span
          ><!-- prettier-ignore -->
          <v-btn v-if="trim.driven && at < levels.length" class="act main" @click="metered">take this level</v-btn>
          <v-btn
            v-if="plant.may('inject') && standIn && !trim.driven"
            class="act"
            :disabled="busy"
            @click="play"
            >put them on at the stand-in</v-btn
          >
          <v-btn class="act" @click="begin">begin anew</v-btn>
          <span v-if="!trim.driven" class="quiet small">a level is taken by itself once it stands still</span>
        </div>
        <div class="steps">
          <table class="figure">
            <thead>
              <tr>
                <th>put on, {{ trim.unit }}</th>
                <th>data sheet says</th>
                <th>mean counted</th>
                <th>scatter</th>
                <th>samples</th>
                <th>off, counts</th>
                <th>off, % of span</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(level, i) in levels" :key="i" :class="{ here: at === i }">
                <td>
                  <DenseField
                    class="figure"
                    size="8"
                    :model-value="captures[i]?.signal ?? ''"
                    :aria-label="`level ${i + 1} as the calibrator says it`"
                    @change="setSignal(i, ($event.target as HTMLInputElement).value)"
                  />
                </td>
                <td>{{ judged(i) ? counted(judged(i)!.specified) : level.specified }}</td>
                <td>{{ judged(i) ? counted(judged(i)!.mean) : '' }}</td>
                <td>{{ judged(i)?.sigma == null ? '' : figure(judged(i)!.sigma!, 2) }}</td>
                <td>{{ judged(i)?.samples }}</td>
                <td>{{ judged(i) ? counted(judged(i)!.drift) : '' }}</td>
                <td>{{ judged(i)?.of_span == null ? '' : figure(judged(i)!.of_span!, 3) }}</td>
                <td class="verdict">
                  <span v-for="r in judged(i)?.refused ?? []" :key="r.code" class="bad">■ {{ r.says }}</span>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p
          v-for="r in outcome?.refused.filter((one) => taken > 1 || one.code !== 'one level') ?? []"
          :key="r.code"
          class="bad"
        >
          ■ {{ r.says }}
        </p>
        <p v-if="outcome?.says" class="outcome">{{ outcome.says }}</p>
        <TrimPlot v-if="outcome?.worst_before != null" :outcome="outcome" />
      </div>
      <aside class="panel side">
        <p v-for="m in trim.moving" :key="m" class="settle">▲ {{ m }}: put it back first</p>
        <p v-for="t in trim.trips" :key="t" class="settle">▲ {{ t }}</p>
        <table class="figure pair">
          <thead>
            <tr>
              <th></th>
              <th>low</th>
              <th>high</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <th>data sheet</th>
              <td v-for="(c, k) in trim.ends" :key="k">{{ counted(c) }}</td>
            </tr>
            <tr>
              <th>in use</th>
              <td v-for="(c, k) in trim.found" :key="k">{{ counted(c) }}</td>
            </tr>
            <tr v-if="outcome?.found[0] != null" class="new">
              <th>found now</th>
              <td v-for="(c, k) in outcome.found" :key="k">{{ counted(c) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="trim.trimmed" class="small">
          trimmed {{ trim.trimmed }}
          <v-btn v-if="plant.may('edit')" class="mini" @click="takeBack">back to the data sheet</v-btn>
        </p>
        <TrimAccept
          :point="point"
          :captures="captures.filter((c) => c.counts.length)"
          :seq="trim.seq"
          :acceptable="outcome?.acceptable ?? false"
          @accepted="accepted"
          @says="says = $event"
        />
        <label v-if="trim.thermocouple" class="field"
          >cold junction, °C
          <DenseField
            size="6"
            placeholder="as the list says"
            @change="setJunction(($event.target as HTMLInputElement).value)"
        /></label>
        <TrimUses :point="point" :trim="trim" @says="says = $event" />
        <h2 v-if="trim.records.length">found before</h2>
        <p v-for="r in trim.records" :key="r.id" class="small">
          {{ clock(r.at) }} {{ r.name }}: {{ r.verdict }}
          <b v-if="!r.sound" class="bad">■ not what was signed</b>
          <a :href="`/api/evidence/${r.id}/pdf`" target="_blank">PDF</a>
        </p>
      </aside>
    </div>
  </section>
</template>

<style scoped src="../parts/check/sheet.css"></style>

<style scoped>
.sheet {
  --beside: 290px;
}

.levels {
  display: flex;
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}

.levels li {
  flex: 1;
  border: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-surface));
}

.levels .level {
  justify-content: center;
  width: 100%;
  height: 30px;
  color: inherit;
  font-family: inherit;
}

.levels .done {
  background: rgb(var(--v-theme-band));
}

.levels .here {
  background: rgb(var(--v-theme-copper));
  color: rgb(var(--v-theme-on-copper));
}

.big {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 10px;
  padding: 10px 14px;
}

.big > div {
  display: flex;
  flex-direction: column;
}

.big b {
  font-size: 34px;
  font-weight: 400;
  line-height: 1.2;
  white-space: nowrap;
}

.keys {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin: 8px 0;
}

.inline {
  display: flex;
  align-items: center;
  gap: 6px;
  width: 130px;
}

.pair tbody th {
  font-family: var(--sans);
  font-weight: 400;
  text-align: left;
}

.pair .new td {
  font-weight: 600;
}

.steps .verdict {
  white-space: normal;
}

.outcome {
  font-size: 14px;
}

.side :deep(.field) {
  grid-template-columns: 92px minmax(0, 1fr);
}

@media (max-width: 520px) {
  .big {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
