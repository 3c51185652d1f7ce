<script setup lang="ts" generic="V">
/**
 * The one field for figures and short texts where many stand together: settings, tables, sheets. Two hundred of a
 * library's fields would take a second to come. What is typed stays text: a figure is read by whoever knows its unit.
 *
 *     <DenseField v-model="text" label="range from" unit="mbar" state="settle" message="above the sensor's limit" />
 */
import { computed, ref, useAttrs } from 'vue'
import type { FieldHandle } from './focus'

defineOptions({ inheritAttrs: false })
const props = defineProps<{
  label?: string
  unit?: string
  /** '' for what is as it should be. */
  state?: '' | 'saving' | 'held' | 'settle' | 'bad'
  message?: string
}>()
const [model, modifiers] = defineModel<V>({
  set(value) {
    if (typeof value !== 'string') return value
    const text = modifiers.trim ? value.trim() : value
    const number = modifiers.number ? parseFloat(text) : Number.NaN
    return (Number.isNaN(number) ? text : number) as V
  },
})
const attrs = useAttrs()
const input = ref<HTMLInputElement | null>(null)
const alone = computed(() => !props.label && !props.unit && !props.message)
const invalid = computed(() => (props.state === 'bad' ? true : undefined))

defineExpose<FieldHandle>({
  focus: () => input.value?.focus(),
  select: () => input.value?.select(),
  focused: () => document.activeElement === input.value,
})
</script>

<template>
  <input
    v-if="alone"
    ref="input"
    v-model="model"
    v-bind="attrs"
    class="dense"
    :class="state"
    :aria-invalid="invalid"
  />
  <label v-else class="dense-field">
    <span v-if="label">{{ label }}</span>
    <span class="box">
      <input
        ref="input"
        v-model="model"
        v-bind="attrs"
        class="dense"
        :class="state"
        :aria-invalid="invalid"
      /><span v-if="unit" class="quiet">{{ unit }}</span>
    </span>
    <span v-if="message" class="message small" :class="state" role="status">{{ message }}</span>
  </label>
</template>

<style>
.dense {
  min-height: 24px;
  max-width: 100%;
  padding: 1px 5px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  border-radius: 0;
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
}

.dense::placeholder {
  color: rgb(var(--v-theme-quiet));
}

.dense:focus-visible {
  outline: 2px solid rgb(var(--v-theme-copper));
}

.dense.figure {
  font-family: var(--mono);
}

.dense.settle {
  border-bottom: 2px solid rgb(var(--v-theme-settle));
}

.dense.bad {
  border-bottom: 2px solid rgb(var(--v-theme-bad));
}

.dense.held {
  border-bottom: 1px dashed rgb(var(--v-theme-apart));
}

.dense-field {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  column-gap: 8px;
  align-items: baseline;
}

.dense-field .box {
  display: flex;
  gap: 4px;
  align-items: baseline;
}

.dense-field .message {
  grid-column: 2;
}
</style>
