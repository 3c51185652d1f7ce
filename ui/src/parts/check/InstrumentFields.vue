<script setup lang="ts">
/** With what it was measured: one that the plant keeps, or another; kept in this browser for the next point. */
import { computed, onMounted } from 'vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import DateField from '../../kit/DateField.vue'
import DenseField from '../../kit/DenseField.vue'
import { holds, useInstruments } from '../../plant/instruments'
import type { Instrument } from './instrument'

const value = defineModel<Instrument>({ required: true })
const instruments = useInstruments()
const set = (name: keyof Instrument, to: string) => (value.value = { ...value.value, [name]: to })
const known = computed(() => instruments.named(value.value.instrument))
const items = computed(() => [
  ...instruments.all.map((one) => ({
    value: one.name,
    title: one.overdue ? `${one.name} ▲ overdue` : one.name,
  })),
  { value: '', title: 'another…' },
])
onMounted(() => instruments.all.length || void instruments.load())

function choose(name: string) {
  const one = instruments.named(name)
  value.value = { instrument: name, serial: one?.serial ?? '', due: one?.due ?? '' }
}
</script>

<template>
  <div v-if="instruments.all.length" class="field">
    with
    <ChoiceField
      :model-value="known ? value.instrument : ''"
      aria-label="which instrument"
      :items="items"
      @update:model-value="choose(String($event))"
    />
  </div>
  <p v-if="known" class="small" :class="{ settle: known.overdue }" role="status">
    {{ known.overdue ? '▲' : '✓' }} {{ known.make }}, serial {{ known.serial || 'not given' }},
    {{ holds(known) }}
  </p>
  <template v-else>
    <label class="field"
      >instrument
      <DenseField
        :model-value="value.instrument"
        maxlength="200"
        @update:model-value="set('instrument', String($event))"
    /></label>
    <label class="field"
      >serial
      <DenseField
        :model-value="value.serial"
        maxlength="200"
        @update:model-value="set('serial', String($event))"
    /></label>
    <div class="field">
      due
      <DateField
        :model-value="value.due"
        maxlength="200"
        placeholder="2027-03"
        aria-label="due"
        @update:model-value="set('due', String($event))"
      />
    </div>
  </template>
</template>

<style scoped>
p {
  margin: 2px 0 6px;
}

.settle {
  color: rgb(var(--v-theme-settle));
}
</style>
