<script setup lang="ts">
/** Where a module says which firmware it has, how a version stands there, and the oldest that does what its type says. */
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import FormPart from '../../kit/FormPart.vue'
import PlaceField from './PlaceField.vue'
import type { TypeBody } from './typeBody'

const body = defineModel<TypeBody>({ required: true })
const WRITTEN = [
  { value: 'parts in bytes', title: 'each byte a part: 0x0203 is 2.3' },
  { value: 'parts in registers', title: 'each register a part' },
  { value: 'number', title: 'one number' },
  { value: 'hundredths', title: 'hundredths: 203 is 2.03' },
  { value: 'text', title: 'text, two characters a register' },
]
/** Behind all that stands in input registers already. */
function turn(on: boolean) {
  const ends = body.value.registers.map((r) =>
    r.table && r.table !== 'input registers' ? 0 : (r.at ?? 0) + r.count,
  )
  body.value.firmware = on
    ? { table: 'input registers', at: Math.max(0, ...ends), words: 1, written: 'parts in bytes', oldest: '' }
    : null
}
</script>

<template>
  <FormPart title="its firmware" class="flow">
    <v-checkbox
      :model-value="!!body.firmware"
      label="it says which one it has"
      @update:model-value="turn(!!$event)"
    />
    <template v-if="body.firmware">
      <label class="small"
        >in
        <ChoiceField
          v-model="body.firmware.table"
          aria-label="table of the firmware"
          :items="['input registers', 'holding registers']"
      /></label>
      <label class="small"
        >place
        <PlaceField
          spoken="place of the firmware"
          :model-value="body.firmware.at"
          :table="body.firmware.table"
          :numbering="body.numbering ?? 'from 0'"
          @update:model-value="body.firmware.at = $event ?? 0"
      /></label>
      <label class="small"
        >registers
        <DenseField
          v-model.number="body.firmware.words"
          type="number"
          min="1"
          max="16"
          class="mark"
          aria-label="registers of the firmware"
      /></label>
      <label class="small"
        >written as
        <ChoiceField
          v-model="body.firmware.written"
          aria-label="how the firmware is written"
          :items="WRITTEN"
      /></label>
      <label class="small"
        >this type needs
        <DenseField
          v-model="body.firmware.oldest"
          placeholder="any"
          maxlength="40"
          size="8"
          aria-label="the oldest firmware that this type needs"
        />
        or newer</label
      >
    </template>
  </FormPart>
</template>

<style scoped>
.flow {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}

label {
  font-size: 12px;
}

.flow :deep(.mark) {
  width: 62px;
}
</style>
