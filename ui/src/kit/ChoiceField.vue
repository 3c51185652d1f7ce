<script setup lang="ts" generic="V extends string | number">
/**
 * One of some things: a select, and where there are many, one that is typed into. Its words are found by any part.
 *
 *     <ChoiceField v-model="role" :items="['reader', 'engineer']" aria-label="role" />
 */
import { computed, ref, useAttrs } from 'vue'
import type { ComponentPublicInstance } from 'vue'
import { useNamed } from './named'
import { VAutocomplete, VSelect } from 'vuetify/components'

export interface Choice<V> {
  value: V
  title: string
}

defineOptions({ inheritAttrs: false })
const props = defineProps<{ items: readonly (V | Choice<V>)[]; label?: string; disabled?: boolean }>()
const model = defineModel<V>({ required: true })
/** More than one sees at once: then one types. */
const MANY = 12

const attrs = useAttrs()
const field = ref<ComponentPublicInstance | null>(null)
useNamed(field, () => attrs['aria-label'] as string | undefined)
const all = computed(() =>
  props.items.map((item) => (typeof item === 'object' ? item : { value: item, title: String(item) })),
)
const many = computed(() => all.value.length > MANY)
const width = computed(() => Math.max(4, ...all.value.map((item) => item.title.length)))
</script>

<template>
  <component
    :is="many ? VAutocomplete : VSelect"
    ref="field"
    v-model="model"
    class="choice"
    :items="all"
    :label="label"
    :disabled="disabled"
    :style="{ '--letters': Math.min(width, 34) }"
    :auto-select-first="many || undefined"
    v-bind="attrs"
  />
</template>

<style>
.choice.v-input {
  flex: 0 1 auto;
  display: inline-grid;
  width: calc(var(--letters) * 1ch + 46px);
  max-width: 100%;
  min-width: 0;
  vertical-align: middle;
}

.choice .v-field {
  --v-field-padding-start: 6px;
  --v-field-padding-end: 2px;
  --v-input-control-height: 26px;
  --v-input-padding-top: 0;

  min-height: 26px;
  border-radius: var(--radius);
  font-size: inherit;
}

.choice .v-field__input {
  min-height: 26px;
  padding-top: 2px;
  padding-bottom: 2px;
  flex-wrap: nowrap;
}

.choice .v-field__input input {
  min-width: 0;
}

.choice .v-select__selection-text,
.choice .v-autocomplete__selection-text {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
