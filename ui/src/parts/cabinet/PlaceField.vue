<script setup lang="ts">
/** A place in a table, typed as the manual has it. What cannot be read stays there, and says why. */
import { computed, ref, watch } from 'vue'
import DenseField from '../../kit/DenseField.vue'
import { placeOf, written, type Style, type TableName } from './places'

const props = defineProps<{ table: TableName; numbering: Style; spoken: string; placeholder?: string }>()
const place = defineModel<number | null>({ required: true })
const emit = defineEmits<{ table: [table: TableName] }>()
const now = computed(() => (place.value == null ? '' : written(props.table, place.value, props.numbering)))
const text = ref(now.value)
const wrong = ref('')
watch(now, (shows) => {
  if (!wrong.value) text.value = shows
})

function take() {
  const typed = text.value.trim()
  const read = typed ? placeOf(typed, props.numbering) : null
  wrong.value = typeof read === 'string' ? read : ''
  if (typeof read === 'string') return
  place.value = read ? read.place : null
  if (read?.table) emit('table', read.table)
  text.value = now.value
}
</script>

<template>
  <DenseField
    v-model="text"
    class="figure"
    :aria-label="spoken"
    :placeholder="placeholder"
    :state="wrong ? 'bad' : ''"
    :message="wrong"
    maxlength="12"
    size="8"
    @change="take"
  />
</template>
