<script setup lang="ts">
/** The heads of the grid: stations, and below them the columns, which sort, widen and move by their head. */
import { computed, ref } from 'vue'
import type { Schemas } from '../api/client'

type Field = Schemas['FieldOut']
const props = defineProps<{
  fields: Field[]
  sort: { field: string; down?: boolean }[]
  /** Columns that are filtered. */
  filtered?: string[]
}>()
const emit = defineEmits<{
  sort: [field: string, more: boolean]
  width: [field: string, pixels: number]
  reorder: [field: string, after: string]
  filter: [field: string, at: HTMLElement]
}>()
const head = ref<HTMLElement | null>(null)
const NARROW_PX = 76
const filters = (field: Field) => field.kind !== 'live' && field.kind !== 'checks'
/** The head of a column. */
const headOf = (field: string) =>
  head.value?.querySelector<HTMLElement>(`[data-column="${CSS.escape(field)}"]`) ?? null
defineExpose({ headOf })

const bands = computed(() => {
  const out: { name: string; width: number }[] = []
  for (const field of props.fields.slice(1)) {
    const last = out.at(-1)
    if (last?.name === field.station) last.width += field.width
    else out.push({ name: field.station, width: field.width })
  }
  return out
})
const starts = computed(() => props.fields.map((f, i) => i > 0 && f.station !== props.fields[i - 1]!.station))
const total = computed(() => props.fields.reduce((sum, field) => sum + field.width, 0))
const toTheRight = (field: Field) => ['number', 'whole', 'live'].includes(field.kind)

// Columns are widened by their right edge, and moved by their head.
let pulled: { field: string; from: number; width: number } | undefined
function pull(event: PointerEvent, field: Field) {
  pulled = { field: field.name, from: event.clientX, width: field.width }
  ;(event.target as HTMLElement).setPointerCapture(event.pointerId)
}
function pulling(event: PointerEvent) {
  if (pulled) emit('width', pulled.field, pulled.width + event.clientX - pulled.from)
}
let carried = ''
function carry(event: DragEvent, field: Field) {
  carried = field.name
  event.dataTransfer?.setData('text/plain', field.name)
}
function dropOn(field: Field) {
  if (carried && carried !== field.name) emit('reorder', carried, field.name)
  carried = ''
}
const sortOf = (field: Field) => {
  const place = props.sort.findIndex((one) => one.field === field.name)
  if (place < 0) return ''
  return (props.sort[place]!.down ? '↓' : '↑') + (props.sort.length > 1 ? place + 1 : '')
}
</script>

<template>
  <div ref="head" class="head" :style="{ width: `${total}px` }">
    <div class="bands" role="row" aria-rowindex="1">
      <span class="band frozen" role="columnheader" :style="{ width: `${fields[0]!.width}px` }">POINT</span>
      <span
        v-for="(band, i) in bands"
        :key="band.name"
        class="band"
        :class="{ hung: i > 0 }"
        role="columnheader"
        :style="{ width: `${band.width}px` }"
        >{{ band.name === 'POINT' ? '' : band.name }}</span
      >
    </div>
    <div class="names" role="row" aria-rowindex="2">
      <span
        v-for="(field, c) in fields"
        :key="field.name"
        class="name"
        :class="{ frozen: c === 0, start: starts[c], right: toTheRight(field) }"
        role="columnheader"
        :data-column="field.name"
        :aria-sort="sortOf(field) ? (sortOf(field).startsWith('↓') ? 'descending' : 'ascending') : 'none'"
        :title="`${field.says} · click sorts, Shift adds, drag moves, Alt+↓ filters`"
        :style="{ width: `${field.width}px` }"
        :draggable="c > 0"
        @click="emit('sort', field.name, $event.shiftKey)"
        @dragstart="carry($event, field)"
        @dragover.prevent
        @drop="dropOn(field)"
        ><b v-if="sortOf(field)" class="sorted">{{ sortOf(field) }}</b
        >{{ field.label }}<span v-if="field.unit" class="unit"> {{ field.unit }}</span
        ><button
          v-if="filters(field)"
          type="button"
          tabindex="-1"
          class="sieve"
          :class="{ on: filtered?.includes(field.name), narrow: field.width < NARROW_PX }"
          :aria-label="`filter by ${field.label}`"
          @click.stop="emit('filter', field.name, $event.currentTarget as HTMLElement)" /><i
          class="edge"
          draggable="true"
          title="drag for the width"
          @click.stop
          @dragstart.stop.prevent
          @pointerdown.stop="pull($event, field)"
          @pointermove="pulling"
          @pointerup="pulled = undefined"
      /></span>
    </div>
  </div>
</template>

<style scoped>
.head {
  position: sticky;
  top: 0;
  z-index: 4;
}

.bands,
.names {
  display: flex;
}

.band {
  flex: none;
  height: 30px;
  padding: 3px 6px 0;
  overflow: hidden;
  border-bottom: 6px solid rgb(var(--v-theme-duct));
  background: repeating-linear-gradient(
    90deg,
    rgb(var(--v-theme-band)) 0 9px,
    rgb(var(--v-theme-tooth)) 9px 14px
  );
  font-weight: 600;
  letter-spacing: 0.02em;
  line-height: 18px;
  white-space: nowrap;
}

.band.hung,
.name.start {
  border-left: 3px solid rgb(var(--v-theme-copper));
}

.name {
  position: relative;
  flex: none;
  padding: 3px 5px;
  overflow: clip;
  cursor: pointer;
  border-right: 1px solid rgb(var(--v-theme-line));
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
  color: rgb(var(--v-theme-quiet));
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.name.right {
  text-align: right;
}

.frozen {
  position: sticky;
  left: 0;
  z-index: 3;
  font-weight: 600;
}

.unit {
  margin-left: 4px;
}

.sorted {
  margin-right: 3px;
  color: rgb(var(--v-theme-copper));
}

/* Three lines that grow shorter: what falls through. It lies over the name's end, and is there when one looks for it. */
.sieve {
  position: absolute;
  top: 3px;
  right: 4px;
  bottom: 3px;
  width: 16px;
  border: 0;
  color: inherit;
  cursor: pointer;
  opacity: 0;
  background:
    linear-gradient(currentcolor, currentcolor) center 4px / 10px 1.5px,
    linear-gradient(currentcolor, currentcolor) center 8px / 6px 1.5px,
    linear-gradient(currentcolor, currentcolor) center 12px / 2px 1.5px,
    rgb(var(--v-theme-bar));
  background-repeat: no-repeat, no-repeat, no-repeat, repeat;
}

.name:hover .sieve,
.sieve:focus-visible,
.sieve.on {
  opacity: 1;
}

.sieve.on {
  color: rgb(var(--v-theme-copper));
}

/* Under a finger there is no hovering: it stays, where the name leaves it room. */
@media (hover: none) {
  .sieve:not(.narrow) {
    opacity: 0.7;
  }
}

.edge {
  position: absolute;
  top: 0;
  right: -3px;
  bottom: 0;
  z-index: 1;
  width: 7px;
  cursor: col-resize;
}

.edge:hover {
  background: rgb(var(--v-theme-copper));
  opacity: 0.4;
}
</style>
