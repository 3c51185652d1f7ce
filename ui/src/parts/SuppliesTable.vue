<script setup lang="ts">
/**
 * Supplies and fuses, one a line: what each gives, what feeds it, which channels are behind it, and what it carries. Typed as
 * figures; kept as one text of the plant's rules, which is read and weighed like every other.
 */
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import DenseField from '../kit/DenseField.vue'

type Supply = Schemas['SupplyOut']
type Typed = Pick<Supply, 'name' | 'of' | 'volts' | 'least_v' | 'greatest_v' | 'amperes' | 'on'>

const emit = defineEmits<{ typed: [text: string] }>()
const plant = usePlant()
const known = shallowRef<Supply[]>([])
const rows = ref<Typed[]>([])
const wrong = ref('')
const may = computed(() => plant.may('engineer'))
const COLUMNS = [
  ['name', 'name', 'G1', ''],
  ['of', 'fed by', 'the mains', ''],
  ['volts', 'gives', 'as all', 'V'],
  ['least_v', 'least', '', 'V'],
  ['greatest_v', 'greatest', '', 'V'],
  ['amperes', 'rating', 'not said', 'A'],
  ['on', 'channels behind it', 'TC-3·1·4·1 to 8, TC-3·1·5', ''],
] as const

async function read() {
  const answer = await ask(api.GET('/api/conventions/supplies'))
  wrong.value = answer.problem?.title ?? ''
  if (!answer.data) return
  known.value = answer.data.supplies
  rows.value = answer.data.supplies.map((s) => ({ ...s }))
}
watch(() => plant.plant?.seq, () => void read(), { immediate: true }) // prettier-ignore

const carries = (name: string) => known.value.find((s) => s.name === name)
const over = (row: Typed) => {
  const there = carries(row.name)
  return !!there && !!row.amperes && there.carries_ma > 1000 * Number(row.amperes)
}

/** One line as the plant writes it: G1 24 V 20.4 to 28.8 V 10 A on TC-3. */
function lineOf(row: Typed): string {
  const span = row.least_v && row.greatest_v ? ` ${row.least_v} to ${row.greatest_v} V` : ''
  return [
    row.name,
    row.of && ` of ${row.of}`,
    row.volts && ` ${row.volts} V`,
    span,
    row.amperes && ` ${row.amperes} A`,
    row.on && ` on ${row.on}`,
  ].join('')
}
const clean = (text: string) => text.trim().replace(',', '.')
const changed = computed(
  () => JSON.stringify(rows.value.map(lineOf)) !== JSON.stringify(known.value.map(lineOf)),
)

function keep() {
  for (const row of rows.value) {
    for (const name of ['volts', 'least_v', 'greatest_v', 'amperes'] as const) row[name] = clean(row[name])
    row.name = row.name.trim()
    row.of = row.of.trim()
  }
  const half = rows.value.find((r) => !r.least_v !== !r.greatest_v)
  wrong.value = half ? `${half.name}: say the least and the greatest voltage, or neither` : ''
  if (!half)
    emit(
      'typed',
      rows.value
        .filter((r) => r.name)
        .map(lineOf)
        .join('; '),
    )
}
function add() {
  rows.value.push({ name: '', of: '', volts: '', least_v: '', greatest_v: '', amperes: '', on: '' })
}
</script>

<template>
  <section class="panel supplies">
    <h2>supplies and fuses</h2>
    <p v-if="!rows.length" class="quiet">
      None is put down: everything counts as fed by the plant’s own supply. Name them, and what each point
      says under <i>fed from</i>, or where its channel is, is held against their voltage and rating.
    </p>
    <table v-else>
      <thead>
        <tr>
          <th v-for="[name, words, , unit] in COLUMNS" :key="name">{{ words }}{{ unit && `, ${unit}` }}</th>
          <th class="right">carries</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, k) in rows" :key="k">
          <td v-for="[name, words, hint] in COLUMNS" :key="name" :class="name">
            <DenseField
              v-model="row[name]"
              class="figure setting"
              :readonly="!may"
              :placeholder="hint"
              :aria-label="`${words} of ${row.name || 'the new one'}`"
            />
          </td>
          <td class="right figure" :class="{ settle: over(row) }">
            <template v-if="carries(row.name)?.points">
              {{ over(row) ? '▲ ' : '' }}{{ Math.round(carries(row.name)!.carries_ma) }} mA ·
              {{ carries(row.name)!.points }} point{{ carries(row.name)!.points === 1 ? '' : 's' }}
            </template>
            <span v-else class="quiet">—</span>
          </td>
          <td>
            <v-btn
              v-if="may"
              class="link"
              :aria-label="`take ${row.name || 'the new one'} away`"
              @click="rows.splice(k, 1)"
              >×</v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="wrong" class="bad small" role="alert">■ {{ wrong }}</p>
    <p v-if="may" class="keys">
      <v-btn class="act" @click="add">{{ rows.length ? 'another' : 'put one down' }}</v-btn>
      <v-btn v-if="changed" class="act main" @click="keep">see what it would do</v-btn>
      <v-btn v-if="changed" class="act" @click="read">leave it</v-btn>
    </p>
  </section>
</template>

<style scoped>
.supplies {
  margin-bottom: 12px;
  padding: 10px 14px;
  overflow-x: auto;
}

h2 {
  margin: 0 0 6px;
  font-size: 13px;
}

table {
  width: 100%;
  min-width: 760px;
  border-collapse: collapse;
}

th {
  padding: 0 8px 3px 0;
  font-size: 11px;
  font-weight: 400;
  text-align: left;
}

td {
  padding: 1px 8px 1px 0;
}

.right {
  text-align: right;
  white-space: nowrap;
}

td :deep(input) {
  width: 100%;
}

td.name,
td.of {
  width: 130px;
}

td.volts,
td.least_v,
td.greatest_v,
td.amperes {
  width: 84px;
}

td.on {
  min-width: 200px;
}

.keys {
  display: flex;
  gap: 8px;
  margin: 8px 0 0;
}
</style>
