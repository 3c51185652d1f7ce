<script setup lang="ts">
/** Lines of a form by their specs: figures, choices, ticks, texts of one object. */
import { ref } from 'vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import type { FieldSpec } from './typeFields'

/** The object is the form's own: what is typed goes into it. */
const of = defineModel<Record<string, unknown>>({ required: true })
defineProps<{ specs: FieldSpec[] }>()
const figures = ref(0)

function put(name: string, value: unknown) {
  of.value[name] = value
  figures.value++
}
const text = (value: unknown) => (value === undefined || value === null ? '' : String(value))
const figure = (typed: unknown) =>
  typed === '' ? '' : Number.isFinite(Number(typed)) ? Number(typed) : typed
</script>

<template>
  <template v-for="spec in specs" :key="spec.name">
    <v-checkbox
      v-if="spec.kind === 'check'"
      :model-value="spec.name === 'takes_slot' ? of[spec.name] !== false : !!of[spec.name]"
      :label="spec.label"
      @update:model-value="put(spec.name, !!$event)"
    />
    <label v-else class="line"
      >{{ spec.label }}{{ spec.unit ? `, ${spec.unit}` : '' }}
      <ChoiceField
        v-if="spec.kind === 'choice'"
        :model-value="(of[spec.name] ?? spec.choices![0]!.value) as string"
        :items="spec.choices as never"
        :aria-label="spec.label"
        @update:model-value="put(spec.name, $event)"
      />
      <DenseField
        v-else
        :model-value="text(of[spec.name])"
        :placeholder="spec.placeholder ?? '0'"
        :type="spec.kind === 'text' ? 'text' : 'number'"
        step="any"
        :aria-label="spec.label"
        @update:model-value="put(spec.name, spec.kind === 'text' ? $event : figure($event))"
      />
    </label>
  </template>
</template>

<style scoped>
.line {
  font-size: 12px;
}

.line :deep(input[type='number']) {
  width: 84px;
  font-family: var(--mono);
}
</style>
