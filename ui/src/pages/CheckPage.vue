<script setup lang="ts">
/** One test on one page, of the loop, of its device or of its channel: its own steps, what must be read and what was, taken when it stands still, and signed. */
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { ask, api, csrfHeader, said, type Schemas } from '../api/client'
import DriftPlot from '../parts/check/DriftPlot.vue'
import ErrorPlot from '../parts/check/ErrorPlot.vue'
import OpenWire from '../parts/check/OpenWire.vue'
import ReferencePanel from '../parts/check/ReferencePanel.vue'
import SignForm from '../parts/check/SignForm.vue'
import TrendChart from '../plot/TrendChart.vue'
import { formOf, nowOf } from '../plant/now'
import { Steady } from '../plant/steady'
import { usePlant } from '../plant/store'
import { clock, figure } from '../plant/words'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'
import LadderPanel from '../parts/check/LadderPanel.vue'
import RecordList from '../parts/check/RecordList.vue'
import SwapForm from '../parts/check/SwapForm.vue'
import { remembered } from '../parts/check/instrument'

const plant = usePlant()
const route = useRoute()
const point = computed(() => Number(route.params.point))
const check = shallowRef<Schemas['CheckOut'] | null>(null)
const outcome = shallowRef<Schemas['OutcomeOut'] | null>(null)
const drift = shallowRef<Schemas['DriftOut'] | null>(null)
const readings = ref<Schemas['ReadIn'][]>([])
const at = ref(-1)
const auto = ref(true)
const says = ref('')
const busy = ref(false)
const wire = ref<Record<string, string>>({})
const seq = ref(0)
const signed = shallowRef<Schemas['RecordOut'] | null>(null)
let steady = new Steady(1)
let stop: (() => void) | undefined

const row = computed(() => (void plant.list.version, plant.list.row(point.value) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const now = computed(() => (void plant.live.version, nowOf(plant, point.value)))
const rack = computed(() => plant.list.racks[row.value] ?? 0)
/** In the digits of the list and the path; what is judged is the whole reading. A contact in its words. */
function shownValue(value: number | null | undefined): string {
  if (value == null) return ''
  const { contact, decimals } = formOf(plant, row.value)
  return contact ? text(`text_${value}`) || String(value) : figure(value, decimals)
}
const opened = computed(() => plant.temporary.filter((t) => t.point === point.value))
const standIn = ref(false)
type TestName = Schemas['CheckOut']['test']
const TESTS: { value: TestName; title: string }[] = [
  { value: 'loop', title: 'the whole loop' },
  { value: 'device', title: 'the device alone' },
  { value: 'channel', title: 'the channel alone' },
]
const test = ref<TestName>('loop')
const runs = ref(1)
/** How often something was signed under a record: the ladder is looked at anew. */
const anew = ref(0)
/** Whether this page keeps the point for whoever is at it; nobody else signs or changes it meanwhile. */
const holds = ref(false)
const key = () =>
  `canaleta-check-${point.value}` +
  (test.value === 'loop' && runs.value === 1 ? '' : `-${test.value}-${runs.value}`)

const asked = () => ({
  params: { path: { point: point.value }, query: { test: test.value, runs: runs.value } },
})

async function load() {
  const answer = await ask(api.GET('/api/points/{point}/check', asked()))
  if (answer.problem) return (says.value = said(answer.problem))
  check.value = answer.data
  const source = await ask(
    api.GET('/api/points/{point}/source', { params: { path: { point: point.value } } }),
  )
  standIn.value = source.data?.why_not === ''
  const drifts = await ask(api.GET('/api/points/{point}/drift', { params: { path: { point: point.value } } }))
  drift.value = drifts.data ?? null
  seq.value = answer.data.seq
  signed.value = null
  steady = new Steady(answer.data.count_span ?? 1)
  // What was read and not signed is kept in this browser: a lost page loses no work.
  const kept = JSON.parse(localStorage.getItem(key()) ?? 'null') as Schemas['ReadIn'][] | null
  readings.value = kept?.length === answer.data.steps.length ? kept : answer.data.steps.map(() => ({}))
  await take()
  await judge()
}

/** What the scan found while somebody walked: the plateaus are the readings. */
async function take() {
  const wanted = Number(route.query.found)
  if (!wanted || !check.value) return
  const walk = await ask(api.GET('/api/walk'))
  const found = walk.data?.found.find((f) => f.id === wanted)
  if (!found || found.plateaus.length !== check.value.steps.length) return
  readings.value = found.plateaus.map((p) => ({
    signal: p.signal,
    counts: p.counts,
    value: p.value,
    from_scan: true,
  }))
  says.value = `taken from what was played at ${clock(found.at)}`
}

async function judge() {
  if (!check.value?.steps.length) return
  localStorage.setItem(key(), JSON.stringify(readings.value))
  const answer = await ask(
    api.POST('/api/points/{point}/check/judge', {
      params: { path: { point: point.value } },
      body: {
        readings: readings.value,
        instrument: remembered().instrument,
        test: test.value,
        runs: runs.value,
      },
    }),
  )
  if (answer.problem) says.value = said(answer.problem)
  else outcome.value = answer.data
}

async function hold() {
  if (holds.value || !plant.may('edit')) return
  const answer = await ask(
    api.PUT('/api/points/{point}/under-test', { params: { path: { point: point.value } } }),
  )
  if (answer.problem) says.value = said(answer.problem)
  else holds.value = true
}

async function letGo(of = point.value) {
  if (!holds.value) return
  holds.value = false
  await ask(api.DELETE('/api/points/{point}/under-test', { params: { path: { point: of } } }))
}

/** A page that is closed lets go as well; what it does not reach is let go of by the server after a shift. */
function leave() {
  if (!holds.value) return
  holds.value = false
  void fetch(`/api/points/${point.value}/under-test`, {
    method: 'DELETE',
    headers: csrfHeader(),
    keepalive: true,
  })
}
useEventListener(window, 'pagehide', leave)

function begin(step: number) {
  void hold()
  at.value = at.value === step ? -1 : step
  steady.again()
}

/** A step takes its reading by itself once the point stands still near the count that is due. */
function heard(of: number) {
  if (of !== rack.value || at.value < 0 || !check.value) return
  const reading = plant.live.at(point.value)
  if (!reading) return
  steady.take(reading)
  const level = steady.level()
  if (!level || !auto.value) return
  const step = check.value.steps[at.value]!
  const span = check.value.count_span || 1
  const near = check.value.contact ? 0.4 : 0.12
  if (step.counts_number == null || Math.abs(level.counts - step.counts_number) > near * span) return
  accept(level)
}

function accept(level: { counts: number; value: number } | null) {
  const taken =
    level ?? (now.value.reading ? { counts: now.value.reading.counts, value: now.value.reading.value } : null)
  if (!taken || at.value < 0) return
  const signal = readings.value[at.value]?.signal
  const when = new Date(plant.live.time()).toISOString()
  readings.value = readings.value.map((r, i) =>
    i === at.value ? { ...r, ...taken, signal, at: when, from_scan: true } : r,
  )
  const next = at.value + 1
  at.value = next < readings.value.length && readings.value[next]?.counts == null ? next : -1
  steady.again()
  void judge()
}

function set(i: number, name: 'signal' | 'process' | 'position' | 'seconds', typed: string) {
  const number = typed.trim() === '' ? null : Number(typed.replace(',', '.'))
  if (number !== null && Number.isNaN(number)) return
  void hold()
  readings.value = readings.value.map((r, k) => (k === i ? { ...r, [name]: number } : r))
  void judge()
}

/** An output is given what the step says; what it reads back is taken like any other reading. */
async function command(i: number) {
  const step = check.value!.steps[i]!
  begin(i)
  const path = { params: { path: { point: point.value } } }
  const answer = await ask(
    api.PUT('/api/points/{point}/output', { ...path, body: { text: String(step.value_number) } }),
  )
  says.value = answer.problem ? said(answer.problem) : answer.data.says
}

function clear() {
  readings.value = readings.value.map(() => ({}))
  outcome.value = null
  localStorage.removeItem(key())
  says.value = 'nothing is read yet'
}

/** On a stand-in the steps are played by themselves, each until its reading is taken. */
async function play() {
  if (!check.value) return
  await hold()
  busy.value = true
  const path = { params: { path: { point: point.value } } }
  const put = (signal: string) =>
    ask(api.PUT('/api/points/{point}/injection', { ...path, body: { text: signal, form: 'fixed', high: '', period_s: 10, faults: [] } })) // prettier-ignore
  for (const [i, step] of check.value.steps.entries()) {
    const answer = await put(
      check.value.contact ? (step.signal_number ? 'closed' : 'open') : String(step.signal_number),
    )
    if (answer.problem) {
      says.value = said(answer.problem)
      break
    }
    says.value = `step ${i + 1} of ${check.value.steps.length} is played`
    readings.value = readings.value.map((r, k) => (k === i ? {} : r))
    at.value = i
    steady.again()
    for (let tries = 0; tries < 75 && readings.value[i]?.counts == null; tries++) await wait(200)
    if (readings.value[i]?.counts == null) {
      says.value = `step ${i + 1} did not come to rest: ${step.signal} was put on and ${step.counts} was due`
      break
    }
  }
  at.value = -1
  await put('')
  busy.value = false
}

/** Why a step does not pass: it is off, or what it was measured with does not decide it. */
const offWord = (decided = '') => (['', 'fails', 'passes'].includes(decided) ? 'off' : decided)
/** Every share of a step's uncertainty, in words. */
const worth = (step: Schemas['JudgedOut']) =>
  [
    `expanded uncertainty (k = 2) ${figure(step.expanded ?? 0, 4)}, within the tolerance with ${figure(100 * (step.probability ?? 0), 1)} %`,
    ...(step.parts ?? []).map(
      (p) => `${p.name} ${figure(p.standard, 4)}, ${figure(100 * p.part, 0)} %: ${p.basis}`,
    ),
  ].join(' · ')
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
/** It is signed: the page shows it, and what was read is kept no longer. */
async function signedAs(record: Schemas['RecordOut']) {
  signed.value = record
  says.value = ''
  holds.value = false
  localStorage.removeItem(key())
  const again = await ask(api.GET('/api/points/{point}/check', asked()))
  if (again.data) check.value = again.data
}

watch(point, async (_, before) => {
  await letGo(before)
  await load()
})
watch([test, runs], load)
watch(rack, (r) => r && plant.watch([r]), { immediate: true })
onMounted(() => {
  void load()
  stop = plant.live.onBlock(heard)
})
onUnmounted(() => {
  stop?.()
  void letGo()
})
</script>

<template>
  <section class="check sheet">
    <header>
      <h1 class="figure">{{ text('tag') }}</h1>
      <ChoiceField v-model="test" aria-label="what is tested" :items="TESTS" />
      <ChoiceField
        v-if="!check?.contact"
        v-model="runs"
        aria-label="how often"
        :items="[1, 2, 3].map((value) => ({ value, title: value === 1 ? 'once' : `${value} times` }))"
      />
      <span class="quiet">{{ text('service') }} · {{ text('channel') }}</span>
      <span class="gap" />
      <span class="figure nowat" :class="now.kind">{{ now.mark }} {{ now.text }} {{ now.unit }}</span>
      <router-link class="chip" :to="`/point/${point}`">path</router-link>
      <router-link v-if="check && !check.contact" class="chip" :to="`/trim/${point}`">trim</router-link>
      <router-link class="chip" to="/checkout">walk</router-link>
    </header>
    <p v-if="says" class="says" role="status">{{ says }}</p>
    <p v-if="check?.under_test && !holds" class="settle" role="status">
      ▲ {{ check.under_test }} is at this point: nobody else signs it meanwhile
    </p>
    <p v-if="check?.why_not" class="none">{{ check.why_not }}</p>
    <div v-else-if="check" class="work">
      <div class="left">
        <div class="steps">
          <table class="figure">
            <thead>
              <tr>
                <th>% of range</th>
                <th>put on</th>
                <th>
                  {{ test === 'device' ? 'reference said' : check.output ? 'meter said' : 'calibrator said' }}
                </th>
                <th v-if="test === 'device'">meter said</th>
                <template v-if="test !== 'device'">
                  <th>count due</th>
                  <th>value due</th>
                  <th>count read</th>
                  <th>value read</th>
                </template>
                <template v-if="check.output">
                  <th>position, %</th>
                  <th>after, s</th>
                </template>
                <th>error</th>
                <th>% of span</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="(s, i) in check.steps"
                :key="i"
                :class="{ here: at === i, bad: outcome?.steps[i]?.passes === false }"
              >
                <td>
                  {{ s.share }} <span class="quiet">{{ s.way }}</span>
                </td>
                <td>{{ test === 'device' ? s.process : s.signal }}</td>
                <td>
                  <DenseField
                    v-if="!check.contact"
                    class="figure"
                    size="6"
                    :model-value="(test === 'device' ? readings[i]?.process : readings[i]?.signal) ?? ''"
                    :placeholder="test === 'device' ? s.process.split(' ').at(-1) : check.signal_unit"
                    :aria-label="`what the ${test === 'device' ? 'reference' : 'calibrator'} said at ${s.share} %`"
                    @change="
                      set(
                        i,
                        test === 'device' ? 'process' : 'signal',
                        ($event.target as HTMLInputElement).value,
                      )
                    "
                  />
                </td>
                <td v-if="test === 'device'">
                  <DenseField
                    class="figure"
                    size="6"
                    :model-value="readings[i]?.signal ?? ''"
                    :placeholder="s.signal"
                    :aria-label="`what the meter said at ${s.share} %`"
                    @change="set(i, 'signal', ($event.target as HTMLInputElement).value)"
                  />
                </td>
                <template v-if="test !== 'device'">
                  <td>{{ s.counts }}</td>
                  <td>{{ s.value }}</td>
                  <td>{{ readings[i]?.counts == null ? '' : figure(readings[i]!.counts!, 0) }}</td>
                  <td v-tip="check.contact && readings[i]?.at ? clock(readings[i]!.at!) : ''">
                    {{ shownValue(readings[i]?.value) }}
                  </td>
                </template>
                <template v-if="check.output">
                  <td v-for="name in ['position', 'seconds'] as const" :key="name">
                    <DenseField
                      class="figure"
                      size="5"
                      :model-value="readings[i]?.[name] ?? ''"
                      :aria-label="`${name} at ${s.share} %`"
                      @change="set(i, name, ($event.target as HTMLInputElement).value)"
                    />
                  </td>
                </template>
                <td>{{ outcome?.steps[i]?.error }}</td>
                <td>{{ outcome?.steps[i]?.of_span == null ? '' : figure(outcome.steps[i]!.of_span!, 3) }}</td>
                <td class="verdict">
                  <template v-if="outcome?.steps[i]?.passes === true">✓ within</template>
                  <template v-else-if="outcome?.steps[i]?.passes === false"
                    >■ {{ offWord(outcome.steps[i]!.decided) }}</template
                  >
                  <span v-if="outcome?.steps[i]?.ratio != null" v-tip="worth(outcome.steps[i]!)" class="quiet"
                    >&nbsp;· {{ figure(outcome.steps[i]!.ratio!, 1) }} : 1</span
                  >
                  <span v-if="outcome?.steps[i]?.asks" class="settle">▲ {{ outcome.steps[i]!.asks }}</span>
                  <v-btn v-if="check.output && plant.may('inject')" class="mini" @click="command(i)"
                    >command</v-btn
                  >
                  <v-btn v-if="test !== 'device'" class="mini" @click="begin(i)">
                    {{ at === i ? 'waiting…' : 'take' }}
                  </v-btn>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <div v-if="test !== 'device'" class="keys">
          <v-checkbox v-model="auto" label="take by itself once it stands still" />
          <v-btn v-if="at >= 0" class="act" @click="accept(null)">take it as it is now</v-btn>
          <v-btn v-if="plant.may('inject') && standIn" class="act" :disabled="busy" @click="play">
            play it on the stand-in
          </v-btn>
          <v-btn class="act" @click="clear">begin anew</v-btn>
        </div>
        <p v-if="outcome?.told" class="settle" role="status">▲ {{ outcome.told }}</p>
        <p class="outcome" :class="{ bad: outcome?.passes === false }">
          <b>{{ outcome?.passes ? '✓ passed' : outcome?.passes === false ? '■ failed' : 'open' }}</b> ·
          {{ outcome?.says }}
        </p>
        <ErrorPlot v-if="outcome && !check.contact" :steps="check.steps" :outcome="outcome" />
        <TrendChart :point="point" :seconds="120" :height="120" />
      </div>
      <aside class="panel side">
        <p v-for="t in check.trips" :key="t" class="settle">▲ {{ t }}</p>
        <p v-for="t in opened" :key="t.id" class="settle">
          ▲ open: {{ t.kind }}, {{ t.what }} ({{ t.who }}) · put it back before signing
        </p>
        <OpenWire v-model="wire" :point="point" :stand-in="standIn" />
        <ReferencePanel v-if="!check.contact && check.signal_unit === 'mA'" :point="point" />
        <SignForm
          :point="point"
          :body="{ readings, seq, open_wire: wire, test, runs }"
          :doubts="outcome?.doubts ?? 0"
          :complete="outcome?.complete ?? false"
          :trips="!!text('trips')"
          @signed="signedAs"
          @instrument="judge"
          @says="says = $event"
        />
        <p v-if="signed" role="status">
          <b>signed:</b> {{ signed.verdict }} ·
          <a :href="`/api/evidence/${signed.id}/pdf`" target="_blank">PDF</a>
        </p>
        <LadderPanel :point="point" :again="check.records.length + anew" />
        <DriftPlot v-if="drift" :drift="drift" />
        <SwapForm :point="point" @signed="signedAs" />
        <RecordList :records="check.records" @signed="anew++" />
      </aside>
    </div>
  </section>
</template>

<style scoped src="../parts/check/sheet.css"></style>

<style scoped>
.nowat {
  font-size: 22px;
}

.nowat.bad {
  color: rgb(var(--v-theme-bad));
}

.nowat.injected {
  color: rgb(var(--v-theme-apart));
}

:deep(input:not([type='checkbox'], [type='file'])) {
  width: 100%;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

td input {
  max-width: 70px;
  text-align: right;
}

.side :deep(.field) {
  grid-template-columns: 72px minmax(0, 1fr);
}

.outcome {
  font-size: 15px;
}
</style>
