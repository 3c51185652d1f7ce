<script setup lang="ts">
/** The plant's calibrators and meters: what their makers state of them, and until when they are calibrated. */
import { computed, onMounted, ref } from 'vue'
import type { Schemas } from '../../api/client'
import DateField from '../../kit/DateField.vue'
import DenseField from '../../kit/DenseField.vue'
import { holds, useInstruments, type Instrument } from '../../plant/instruments'
import { usePlant } from '../../plant/store'

type Range = Record<keyof Schemas['RangeShape'], string>
const COLUMNS = [
  ['unit', 'unit'], ['low', 'from'], ['high', 'to'], ['of_reading', '% of reading'], ['of_span', '% of span'],
  ['digits', 'digits'], ['resolution', 'one digit is'],
] as const // prettier-ignore
const TEXTS = [
  ['name', 'name', 60], ['make', 'make', 200], ['serial', 'serial', 80], ['certificate', 'certificate', 80],
] as const // prettier-ignore
const plant = usePlant()
const instruments = useInstruments()
const opened = ref<string | null>(null)
const form = ref({ name: '', make: '', serial: '', due: '', certificate: '' })
const ranges = ref<Range[]>([])
const says = ref('')
const isNew = computed(() => opened.value === '')
onMounted(() => void instruments.load())

const EMPTY: Range = {
  unit: 'mA',
  low: '0',
  high: '24',
  of_reading: '',
  of_span: '',
  digits: '',
  resolution: '',
}
const typed = (range: Schemas['RangeShape']) =>
  Object.fromEntries(Object.entries(range).map(([name, value]) => [name, value ? String(value) : name === 'low' ? '0' : ''])) as Range // prettier-ignore

function open(one?: Instrument) {
  opened.value = one?.name ?? ''
  says.value = ''
  form.value = one
    ? { name: one.name, make: one.make, serial: one.serial, due: one.due, certificate: one.certificate }
    : { name: '', make: '', serial: '', due: '', certificate: '' }
  ranges.value = one ? one.ranges.map(typed) : [{ ...EMPTY }]
}

/** A figure with either decimal sign; what is empty is nothing. */
const figureOf = (text: string) => Number(text.trim().replace(',', '.').replace('\u2212', '-') || 0)

async function keep() {
  const { name, ...rest } = form.value
  const wrong = ranges.value.flatMap((range) => COLUMNS.slice(1).filter(([of]) => Number.isNaN(figureOf(range[of]))).map(([of, label]) => `“${range[of]}” is no figure for ${label}`)) // prettier-ignore
  if (wrong.length) return (says.value = wrong[0]!)
  const body = {
    ...rest,
    becomes: name,
    ranges: ranges.value.map((r) => ({ unit: r.unit.trim(), low: figureOf(r.low), high: figureOf(r.high), of_reading: figureOf(r.of_reading), of_span: figureOf(r.of_span), digits: figureOf(r.digits), resolution: figureOf(r.resolution) })), // prettier-ignore
  }
  says.value = await instruments.keep(opened.value || name, body)
  if (!says.value) opened.value = null
}

async function takeAway() {
  says.value = await instruments.takeAway(opened.value!)
  if (!says.value) opened.value = null
}
</script>

<template>
  <section class="panel instruments" aria-label="instruments">
    <h2>instruments</h2>
    <p v-if="!instruments.all.length" class="quiet small">
      None is kept yet. With what its maker states of it, a check says what it is worth, and an overdue one is
      told before it is used.
    </p>
    <ul v-else>
      <li v-for="one in instruments.all" :key="one.name">
        <v-btn class="mini" :disabled="!plant.may('edit')" @click="open(one)">{{ one.name }}</v-btn>
        <span class="small">{{ one.make }} · serial {{ one.serial || 'not given' }}</span>
        <span class="small" :class="{ settle: one.overdue || (one.days ?? 99) < 31 }"
          >{{ one.overdue || (one.days ?? 99) < 31 ? '▲ ' : '' }}{{ holds(one) }}</span
        >
      </li>
    </ul>
    <v-btn v-if="opened === null && plant.may('edit')" class="act" @click="open()">another instrument</v-btn>
    <form v-if="opened !== null" @submit.prevent="keep">
      <label v-for="[field, label, most] in TEXTS" :key="field" class="field">
        {{ label }}
        <DenseField v-model="form[field]" :required="field === 'name'" :maxlength="most" />
      </label>
      <div class="field">
        due <DateField v-model="form.due" placeholder="2027-03" aria-label="calibrated until" />
      </div>
      <div class="sideways">
        <table>
          <thead>
            <tr>
              <th v-for="[field, label] in COLUMNS" :key="field">{{ label }}</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(range, i) in ranges" :key="i">
              <td v-for="[field, label] in COLUMNS" :key="field">
                <DenseField
                  v-model="range[field]"
                  class="figure"
                  size="5"
                  :aria-label="`${label} of range ${i + 1}`"
                />
              </td>
              <td>
                <v-btn class="mini" :aria-label="`take range ${i + 1} away`" @click="ranges.splice(i, 1)"
                  >×</v-btn
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="quiet small">
        accuracy: ±(% of reading + % of span + digits · one digit), in the unit of the range
      </p>
      <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
      <div class="keys">
        <v-btn class="act main" type="submit">keep it</v-btn>
        <v-btn class="act" @click="ranges.push({ ...EMPTY, unit: 'V', high: '10' })">another range</v-btn>
        <v-btn v-if="!isNew" class="act" @click="takeAway">take it away</v-btn>
        <v-btn class="act" @click="opened = null">leave it</v-btn>
      </div>
    </form>
  </section>
</template>

<style scoped>
.instruments {
  max-width: 560px;
  padding: 10px 12px;
  margin-top: 12px;
}

h2 {
  margin: 0 0 6px;
  font-size: 14px;
}

ul {
  margin: 0 0 6px;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 10px;
  padding: 3px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.sideways {
  overflow-x: auto;
}

th {
  font-weight: 400;
  font-size: 12px;
  text-align: left;
}

.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
</style>
