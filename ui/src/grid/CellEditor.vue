<script setup lang="ts">
/** The input in a cell, with what is offered that fits what is typed. Enter and Tab accept, Esc leaves as it was. */
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import type { Offer } from '../plant/useOffers'

const props = defineProps<{
  modelValue: string
  offers: readonly Offer[]
  label: string
  selectAll: boolean
}>()
const emit = defineEmits<{
  'update:modelValue': [string]
  done: [where: 'down' | 'right' | 'left' | 'stay' | 'all']
  leave: []
}>()
const input = ref<HTMLInputElement | null>(null)
const items = ref<HTMLLIElement[]>([])
const touched = ref(false)
const marked = ref(-1)
const WIDEST_PX = 460
/** Whether there is too little room to the right of the cell. */
const leftward = ref(false)
const TALLEST_PX = 236
/** Whether there is too little room below it. */
const upward = ref(false)
// What is offered may come while one looks: what is marked stays marked, if it is still there.
watch(
  () => props.offers,
  (now, before) => {
    const text = touched.value ? undefined : (before[marked.value]?.text ?? props.modelValue)
    marked.value = now.findIndex((offer) => offer.text === text)
    // Who pressed the arrow before anything was offered meant the first of it.
    if (marked.value < 0 && early && now.length) marked.value = 0
  },
)
let early = false
// Leaving takes the focus away, and so comes a blur: only the first of them counts.
let closed = false

const bare = (text: string) => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '')
const offered = computed(() =>
  touched.value
    ? props.offers.filter((offer) => bare(offer.text).includes(bare(props.modelValue)))
    : props.offers,
)

onMounted(() => {
  const at = input.value?.getBoundingClientRect()
  leftward.value = !!at && at.left + WIDEST_PX > innerWidth
  const bottom = input.value?.closest('.grid')?.getBoundingClientRect().bottom ?? innerHeight
  upward.value = !!at && at.bottom + TALLEST_PX > bottom && at.top > TALLEST_PX
  input.value?.focus()
  if (props.selectAll) input.value?.select()
  else input.value?.setSelectionRange(props.modelValue.length, props.modelValue.length)
  marked.value = props.offers.findIndex((offer) => offer.text === props.modelValue)
})

function typed(event: Event) {
  touched.value = true
  marked.value = -1
  emit('update:modelValue', (event.target as HTMLInputElement).value)
}

function accept(where: 'down' | 'right' | 'left' | 'stay' | 'all') {
  if (closed) return
  closed = true
  const chosen = offered.value[marked.value]
  if (chosen) emit('update:modelValue', chosen.text)
  void nextTick(() => emit('done', where))
}

function key(event: KeyboardEvent) {
  event.stopPropagation()
  const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0
  early = step === 1
  if (step && offered.value.length) {
    event.preventDefault()
    const count = offered.value.length
    marked.value = (marked.value + step + count) % count
    items.value[marked.value]?.scrollIntoView({ block: 'nearest' })
  } else if (event.key === 'Enter') {
    // Else this very key would press whatever has the focus next.
    event.preventDefault()
    accept(event.ctrlKey ? 'all' : 'down')
  } else if (event.key === 'Tab') {
    event.preventDefault()
    accept(event.shiftKey ? 'left' : 'right')
  } else if (event.key === 'Escape') {
    closed = true
    emit('leave')
  }
}

function pick(choice: string) {
  closed = true
  emit('update:modelValue', choice)
  void nextTick(() => emit('done', 'stay'))
}
</script>

<template>
  <span class="editor" @mousedown.stop>
    <input
      ref="input"
      :value="modelValue"
      :aria-label="label"
      autocomplete="off"
      spellcheck="false"
      @input="typed"
      @keydown="key"
      @blur="accept('stay')"
    />
    <ul
      v-if="offered.length"
      class="panel"
      :class="{ leftward, upward }"
      role="listbox"
      :style="{ maxWidth: `${WIDEST_PX}px`, maxHeight: `${TALLEST_PX}px` }"
    >
      <li
        v-for="(offer, i) in offered"
        :key="offer.text"
        ref="items"
        v-tip="offer.says"
        role="option"
        :aria-selected="i === marked"
        :class="{ marked: i === marked, unfit: offer.fits === false }"
        @mousedown.prevent="pick(offer.text)"
      >
        {{ offer.text }}<span v-if="offer.says" class="small quiet"> · {{ offer.says }}</span>
      </li>
    </ul>
  </span>
</template>

<style scoped>
.editor {
  position: absolute;
  inset: -1px;
  z-index: 6;
  min-width: 90px;
}

input {
  width: 100%;
  height: 100%;
  padding: 0 6px;
  border: 2px solid rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
  font-family: var(--mono);
  outline: none;
}

ul {
  position: absolute;
  top: 100%;
  left: 0;
  min-width: 100%;
  margin: 0;
  padding: 2px 0;
  overflow: auto;
  list-style: none;
  box-shadow: 0 3px 12px rgb(0 0 0 / 25%);
}

ul.upward {
  top: auto;
  bottom: 100%;
}

ul.leftward {
  right: 0;
  left: auto;
}

li {
  padding: 2px 10px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: pointer;
}

li.unfit {
  color: rgb(var(--v-theme-quiet));
  font-style: italic;
}

li.marked,
li:hover {
  background: rgb(var(--v-theme-copper-wash));
}
</style>
