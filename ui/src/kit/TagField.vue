<script setup lang="ts">
/** A point chosen by a few letters of its tag or its service. */
import { computed, ref, type ComponentPublicInstance } from 'vue'
import { useNamed } from './named'
import { usePlant } from '../plant/store'

const props = defineProps<{ label: string }>()
const emit = defineEmits<{ picked: [point: number] }>()
const MOST = 12
const field = ref<ComponentPublicInstance | null>(null)
useNamed(field, () => props.label)
const plant = usePlant()
const text = ref('')
const chosen = ref<number | null>(null)
const items = computed(() => {
  const sought = text.value.toLowerCase()
  const out: { value: number; title: string }[] = []
  if (!sought) return out
  for (const row of plant.list.rows()) {
    const tag = plant.list.text('tag', row)
    const service = plant.list.text('service', row)
    if (!`${tag} ${service}`.toLowerCase().includes(sought)) continue
    out.push({ value: plant.list.ids[row]!, title: `${tag} ${service}` })
    if (out.length === MOST) break
  }
  return out
})
function pick(point: number | null) {
  if (point === null) return
  emit('picked', point)
  chosen.value = null
  text.value = ''
}
</script>

<template>
  <v-autocomplete
    ref="field"
    v-model:search="text"
    :model-value="chosen"
    class="choice tag-field"
    :items="items"
    no-filter
    auto-select-first
    :placeholder="label"
    :aria-label="label"
    no-data-text="type a few letters of a tag"
    @update:model-value="pick"
  />
</template>

<style>
.tag-field.v-input {
  width: 220px;
}
</style>
