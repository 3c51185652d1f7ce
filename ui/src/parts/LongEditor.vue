<script setup lang="ts">
/** Tables, hops and factors: one a line, or straight from a sheet. Ctrl Enter accepts, Esc leaves it as it was. */
import { onMounted, ref } from 'vue'
import { fromLines, toLines } from '../plant/words'

const props = defineProps<{ modelValue: string; label: string }>()
const emit = defineEmits<{ done: [text: string]; leave: [] }>()
const area = ref<HTMLTextAreaElement | null>(null)
const text = ref(toLines(props.modelValue))
let closed = false

onMounted(() => {
  area.value?.focus()
  area.value?.select()
})

function accept() {
  if (closed) return
  closed = true
  emit('done', fromLines(text.value))
}

function key(event: KeyboardEvent) {
  event.stopPropagation()
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) accept()
  else if (event.key === 'Escape') {
    closed = true
    emit('leave')
  }
}
</script>

<template>
  <span class="long">
    <textarea
      ref="area"
      v-model="text"
      class="figure"
      :aria-label="label"
      :rows="Math.min(14, Math.max(4, text.split('\n').length + 1))"
      spellcheck="false"
      @keydown="key"
      @blur="accept"
    ></textarea>
    <span class="quiet small">one a line · Ctrl Enter accepts, Esc leaves it</span>
  </span>
</template>

<style scoped>
.long {
  display: grid;
  gap: 2px;
}

textarea {
  padding: 4px 6px;
  border: 1px solid rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-surface));
  color: inherit;
  resize: vertical;
}
</style>
