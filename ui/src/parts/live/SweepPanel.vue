<script setup lang="ts">
/** A loop-back: this output is swept, the input it is led to is read, the differences stand in a table and are signed. */
import { computed, onUnmounted, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { rackById } from '../../plant/now'
import { usePlant } from '../../plant/store'
import { figure } from '../../plant/words'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const into = ref('')
const name = ref('')
const password = ref('')
const running = ref(0)
const says = ref('')
const result = shallowRef<Schemas['SweepOut'] | null>(null)
const SHARES = [0, 10, 20, 30, 40, 50, 60, 70, 80, 90, 100, 90, 80, 70, 60, 50, 40, 30, 20, 10, 0]
let given: number[] = []
let read: (number | null)[] = []
let stopped = false
onUnmounted(stop)
/** End a sweep that runs: what was read so far is shown, and cannot be signed. */
function stop() {
  stopped = true
}

const input = computed(() => {
  void plant.list.version
  const wanted = into.value.trim().toLowerCase()
  const row = wanted
    ? plant.list.ids.findIndex((_, r) => plant.list.text('tag', r).toLowerCase() === wanted)
    : -1
  return row < 0 ? null : plant.list.ids[row]!
})
const ends = (point: number): [number, number] => {
  const row = plant.list.row(point) ?? -1
  const cell = (field: string) => Number(plant.list.text(field, row))
  return [cell('value_low'), cell('value_high')]
}
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

/** The input once a reading came that was taken after the command and stands still. */
async function settled(point: number, after: number): Promise<number | null> {
  let last = Number.NaN
  for (let tries = 0; tries < 60 && !stopped; tries++) {
    await wait(200)
    const reading = plant.live.at(point)
    if (!reading || reading.readAt <= after) continue
    if (reading.value === last) return reading.quality === 'bad' ? null : reading.value
    last = reading.value
    after = reading.readAt
  }
  return Number.isNaN(last) ? null : last
}

async function run() {
  const target = input.value
  if (target === null) return (says.value = 'type the tag of the input that it is led to')
  plant.watch([plant.list.racks[plant.list.row(target) ?? -1] ?? 0])
  const [low, high] = ends(props.point)
  const [inLow, inHigh] = ends(target)
  if (![low, high, inLow, inHigh].every(Number.isFinite))
    return (says.value = 'both points need their range first')
  given = []
  read = []
  stopped = false
  says.value = ''
  result.value = null
  for (const share of SHARES) {
    if (stopped) break
    running.value = given.length + 1
    const text = String(low + ((high - low) * share) / 100)
    const answer = await ask(
      api.PUT('/api/points/{point}/output', { params: { path: { point: props.point } }, body: { text } }),
    )
    if (answer.problem) {
      says.value = said(answer.problem)
      break
    }
    const value = await settled(target, plant.live.time())
    if (stopped) break
    given.push(share)
    read.push(value === null ? null : ((value - inLow) / (inHigh - inLow)) * 100)
  }
  running.value = 0
  if (stopped)
    says.value = `stopped after ${given.length} of ${SHARES.length} levels: the output stays where it is`
  if (given.length) await judge('')
}

/** On a stand-in two wires are laid from here; on a real rack somebody lays them at the terminals. */
async function wire(on: boolean) {
  if (input.value === null) return (says.value = 'type the tag of the input that it is led to')
  const answer = await ask(
    api.PUT('/api/points/{point}/wired', {
      params: { path: { point: input.value } },
      body: { output: on ? props.point : null },
    }),
  )
  says.value = answer.problem ? said(answer.problem) : ''
  if (!answer.problem) plant.say(on ? `wired to ${into.value.trim()} on the stand-in` : 'the wires are off')
}
const standIn = computed(() => {
  const rack = plant.list.racks[plant.list.row(props.point) ?? -1] ?? 0
  return rackById(plant, rack)?.stand_in ?? false
})

async function judge(signed: string) {
  if (input.value === null) return
  const answer = await ask(
    api.POST('/api/points/{point}/sweep', {
      params: { path: { point: props.point } },
      body: { input: input.value, given, read, tolerance: 0.5, name: signed, password: password.value },
    }),
  )
  password.value = ''
  if (answer.problem) says.value = said(answer.problem)
  else result.value = answer.data
}
</script>

<template>
  <div class="sweep">
    <h3>loop-back</h3>
    <form class="keys" @submit.prevent="run">
      <label>to the input <DenseField v-model="into" class="figure" size="10" placeholder="tag" /></label>
      <v-btn class="act" type="submit" :disabled="running > 0">sweep</v-btn>
      <v-btn v-if="running" class="act" @click="stop">stop</v-btn>
      <span v-if="running" role="status">level {{ running }} of {{ SHARES.length }}</span>
      <template v-else-if="standIn && plant.may('inject')">
        <v-btn
          v-tip="'two wires on the stand-in, from this output to that input'"
          class="act"
          @click="wire(true)"
        >
          wire it
        </v-btn>
        <v-btn class="act" @click="wire(false)">wires off</v-btn>
      </template>
    </form>
    <p v-if="says" class="bad">■ {{ says }}</p>
    <template v-if="result">
      <p>
        <b>{{
          result.passes ? 'passed' : result.passes === false ? '■ failed' : 'not every level was read'
        }}</b>: largest difference {{ figure(result.worst ?? NaN, 3) || '–' }} % of span, hysteresis
        {{ figure(result.hysteresis ?? NaN, 3) || '–' }} %
      </p>
      <table class="figure small">
        <tbody>
          <tr v-for="(r, i) in result.rows" :key="i">
            <td>{{ r.way }}</td>
            <td>{{ r.given }} %</td>
            <td>{{ r.read == null ? '–' : figure(r.read, 2) }} %</td>
            <td>{{ r.difference == null ? '–' : figure(r.difference, 3) }}</td>
          </tr>
        </tbody>
      </table>
      <form
        v-if="!result.record && result.rows.length === SHARES.length && result.passes !== null"
        class="keys"
        @submit.prevent="judge(name)"
      >
        <label>signed by <DenseField v-model="name" size="14" required maxlength="80" /></label>
        <label
          >your password
          <DenseField v-model="password" type="password" size="12" required autocomplete="current-password"
        /></label>
        <v-btn class="act main" type="submit">sign</v-btn>
      </form>
      <a v-else-if="result.record" class="act" :href="`/api/evidence/${result.record}/pdf`" target="_blank"
        >record {{ result.record }} as PDF</a
      >
    </template>
  </div>
</template>

<style scoped>
.sweep {
  margin-top: 8px;
  border-top: 1px solid rgb(var(--v-theme-line));
}

input {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

td {
  padding: 0 12px 0 0;
  text-align: right;
}

a.act {
  display: inline-block;
  text-decoration: none;
}
</style>
