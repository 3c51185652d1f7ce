<script setup lang="ts">
/** Which columns are shown, in which order; found by typing, turned by Space, moved by Alt and the arrows. */
import { computed, onMounted, ref } from 'vue'
import { usePlant } from '../../plant/store'
import { useViews } from '../../plant/views'
import PanelHead from './PanelHead.vue'
import DenseField from '../../kit/DenseField.vue'
import type { FieldHandle } from '../../kit/focus'

const emit = defineEmits<{ shut: [] }>()
const plant = usePlant()
const views = useViews()
const sought = ref('')
const input = ref<FieldHandle | null>(null)
onMounted(() => input.value?.focus())

const shown = computed(() => new Set(views.body.columns.map((column) => column.field)))
const stations = computed(() => {
  const words = sought.value.toLowerCase()
  const out = new Map<string, NonNullable<typeof plant.plant>['fields']>()
  for (const field of plant.plant?.fields ?? []) {
    if (words && !`${field.station} ${field.label} ${field.name} ${field.says}`.toLowerCase().includes(words))
      continue
    out.set(field.station, [...(out.get(field.station) ?? []), field])
  }
  return out
})

function key(event: KeyboardEvent, field: string) {
  const by = event.key === 'ArrowLeft' || event.key === 'ArrowUp' ? -1 : event.key === 'ArrowRight' || event.key === 'ArrowDown' ? 1 : 0 // prettier-ignore
  if (!event.altKey || !by) return
  event.preventDefault()
  views.move(field, by)
}
</script>

<template>
  <PanelHead title="columns" @shut="emit('shut')" />
  <DenseField
    ref="input"
    v-model="sought"
    class="sought"
    type="search"
    placeholder="find a column"
    aria-label="find a column"
  />
  <p class="small quiet">
    Space shows or hides · Alt+arrows move a shown one · drag its head in the grid does the same
  </p>
  <fieldset v-for="[station, fields] in stations" :key="station">
    <legend>{{ station }}</legend>
    <label v-for="field in fields" :key="field.name" v-tip="field.says" class="small">
      <v-checkbox-btn
        :model-value="shown.has(field.name)"
        :disabled="field.name === 'tag'"
        @update:model-value="views.show(field.name, !!$event)"
        @keydown="key($event, field.name)"
      />
      {{ field.label }} <span class="quiet">{{ field.says }}</span>
    </label>
  </fieldset>
  <p v-if="!stations.size" class="quiet">no column has “{{ sought }}”</p>
</template>

<style scoped>
.sought {
  padding: 3px 8px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: var(--radius);
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
}

fieldset {
  min-width: 0;
  border: 0;
}

legend {
  font-size: 12px;
  font-weight: 600;
}

label {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
