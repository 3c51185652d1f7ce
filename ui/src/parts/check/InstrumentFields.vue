<script setup lang="ts">
/** With what it was measured: kept in this browser for the next point. */
import DateField from '../../kit/DateField.vue'
import DenseField from '../../kit/DenseField.vue'
import type { Instrument } from './instrument'

const value = defineModel<Instrument>({ required: true })
const set = (name: keyof Instrument, to: string) => (value.value = { ...value.value, [name]: to })
</script>

<template>
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
