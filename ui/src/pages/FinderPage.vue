<script setup lang="ts">
/** The finder: registers of any Modbus TCP server with every decoding side by side, until one makes sense. */
import { useTimeoutFn } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'

const where = ref({
  host: '127.0.0.1',
  port: 502,
  unit: 1,
  function: 'input' as 'input' | 'holding',
  first: 0,
  count: 8,
})
const target = ref('')
const again = ref(false)
const busy = ref(false)
const wrong = ref('')
const look = shallowRef<Schemas['LookOut'] | null>(null)

async function run() {
  soon.stop()
  busy.value = true
  const wanted = target.value.trim() ? Number(target.value.replace(',', '.')) : null
  const answer = await ask(
    api.POST('/api/finder', { body: { ...where.value, target: Number.isNaN(wanted) ? null : wanted } }),
  )
  busy.value = false
  wrong.value = answer.problem ? said(answer.problem) : answer.data.says
  if (answer.data) look.value = answer.data
  if (again.value && !answer.problem) soon.start()
}
const soon = useTimeoutFn(run, 1000, { immediate: false })

/** Those that meet the value first, then those that are numbers of a sensible size. */
const rows = computed(() =>
  [...(look.value?.decodings ?? [])].sort((a, b) => b.fits - a.fits || Number(b.sane) - Number(a.sane)),
)
/** Whether a figure is within 2 % of what it ought to say: the same measure as the server's. */
const near = (v: number | null) => {
  const wanted = target.value.trim() ? Number(target.value.replace(',', '.')) : Number.NaN
  return v !== null && Math.abs(v - wanted) <= 0.02 * Math.abs(wanted) + 1e-9
}
const num = (v: number | null) =>
  v === null
    ? '–'
    : Math.abs(v) >= 1e7 || (v !== 0 && Math.abs(v) < 1e-3)
      ? v.toExponential(3)
      : String(Number(v.toPrecision(7)))
</script>

<template>
  <section class="finder">
    <h1>finder</h1>
    <p class="quiet">read registers of a server and see what they can mean; nothing is written</p>
    <form class="panel side line" @submit.prevent="run">
      <label>address <DenseField v-model="where.host" size="16" class="figure" /></label>
      <label>port <DenseField v-model.number="where.port" type="number" min="1" max="65535" /></label>
      <label>unit <DenseField v-model.number="where.unit" type="number" min="0" max="255" /></label>
      <ChoiceField
        v-model="where.function"
        aria-label="registers"
        :items="[
          { value: 'input', title: 'input registers' },
          { value: 'holding', title: 'holding registers' },
        ]"
      />
      <label>from <DenseField v-model.number="where.first" type="number" min="0" max="65535" /></label>
      <label>count <DenseField v-model.number="where.count" type="number" min="1" max="60" /></label>
      <label
        >it ought to say <DenseField v-model="target" size="8" class="figure" placeholder="48.2"
      /></label>
      <v-btn class="act main" type="submit" :disabled="busy">look</v-btn>
      <v-checkbox v-model="again" label="again and again" />
    </form>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <template v-if="look?.words.length">
      <p class="figure words">
        <span v-for="(w, i) in look.words" :key="i"
          ><span class="quiet">{{ where.first + i }}</span>
          {{ w.toString(16).toUpperCase().padStart(4, '0') }}</span
        >
      </p>
      <table class="figure">
        <thead>
          <tr>
            <th>read as</th>
            <th>bytes</th>
            <th v-for="(_, i) in look.words" :key="i">{{ where.first + i }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in rows" :key="d.name + d.order" :class="{ unlikely: !d.sane && !d.fits }">
            <td class="name">{{ d.fits ? '● ' : '' }}{{ d.name }}</td>
            <td>{{ d.order }}</td>
            <td v-for="(v, i) in d.values" :key="i" :colspan="d.words" :class="{ fits: near(v) }">
              {{ num(v).replace('-', '−') }}
            </td>
          </tr>
        </tbody>
      </table>
      <p class="quiet small">
        ● meets the value within 2 % · grey: not all of them are numbers of a size that instruments have · A
        is the most significant byte
      </p>
    </template>
  </section>
</template>

<style scoped>
.finder {
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}

h1 {
  margin: 0;
  font-size: 18px;
}

.line {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 10px;
}

input:not([type='number'], [type='checkbox']) {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

input[type='number'] {
  width: 66px;
}

.words span {
  margin-right: 10px;
  white-space: nowrap;
}

table {
  border-collapse: collapse;
  background: rgb(var(--v-theme-surface));
}

th,
td {
  padding: 3px 10px;
  border: 1px solid rgb(var(--v-theme-line));
  text-align: right;
}

.name {
  text-align: left;
}

tr.unlikely td {
  color: rgb(var(--v-theme-quiet));
}

td.fits {
  background: rgb(var(--v-theme-copper-wash));
  color: rgb(var(--v-theme-ink));
  font-weight: 600;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
