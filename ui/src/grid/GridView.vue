<script setup lang="ts">
/**
 * The list as a grid. The cells in sight are drawn on a canvas (paint.ts); the rows at rest lie over it as transparent
 * elements (rowsAtRest.ts), and the cell being typed into is one of its own. What keys, clipboard and mouse do is in
 * useGrid.ts; this file joins them to the page.
 */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import {
  useDebounceFn,
  useDevicePixelRatio,
  useEventListener,
  useRafFn,
  useResizeObserver,
} from '@vueuse/core'
import type { Schemas } from '../api/client'
import { idleTime } from '../plant/idle'
import type { Group } from '../plant/order'
import { usePlant } from '../plant/store'
import { useOffers } from '../plant/useOffers'
import { useColours } from '../theme/colours'
import CellEditor from './CellEditor.vue'
import GridHead from './GridHead.vue'
import { useContents } from './contents'
import { Fitting } from './fitting'
import { CORNER, NEEDED, Painter } from './paint'
import { RowsAtRest } from './rowsAtRest'
import { at } from './selection'
import { cellAt, cornerOf, edges, rowsIn, scrolledTo, topOf, type Sight } from './sight'
import { FRESH, isGroup } from './rows'
import { useFreshRow } from './useFreshRow'
import { useGrid } from './useGrid'

type Field = Schemas['FieldOut']

const props = withDefaults(
  defineProps<{
    rows: number[]
    fields: Field[]
    active: number | null
    groups?: Group[]
    sort?: { field: string; down?: boolean }[]
    filtered?: string[]
    rowHeight?: number
    /** So many rows stay at the top. */
    frozen?: number
    /** Whether an empty row stands at the end, to type a point into. */
    fresh?: boolean
    /** Told of a new tag before it is saved; true if it is taken care of. */
    rename?: (rename: { point: number; was: string; text: string }) => boolean
  }>(),
  {
    groups: () => [],
    sort: () => [],
    filtered: () => [],
    rowHeight: 25,
    frozen: 0,
    fresh: false,
    rename: () => false,
  },
)
const emit = defineEmits<{
  select: [selection: { point: number; field: string; cells: number; points: number[] } | null]
  open: [point: number]
  find: []
  turn: [group: string]
  more: [rows: Record<string, string>[]]
  sort: [field: string, more: boolean]
  width: [field: string, pixels: number]
  reorder: [field: string, after: string]
  filter: [field: string, at: HTMLElement]
}>()
/** A page of a test has no height; it shows so many pixels of rows. */
const WITHOUT_LAYOUT = 600
const RESTS_MS = 120

const plant = usePlant()
const colours = useColours()
const freshRow = useFreshRow()
const contents = useContents(() => freshRow.draft.value)
const all = computed(() => (props.fresh ? [...props.rows, FRESH] : props.rows))
const box = ref<HTMLElement | null>(null)
const head = ref<InstanceType<typeof GridHead> | null>(null)
const canvas = ref<HTMLCanvasElement | null>(null)
const layer = ref<HTMLElement | null>(null)
const size = ref({ width: 0, height: 0, head: 0 })
const { pixelRatio } = useDevicePixelRatio()

// Kept as the box tells it: asked for after a change, the browser would lay the page out at once.
const scroll = { top: 0, left: 0 }
const sight = (): Sight => ({
  ...scroll,
  width: size.value.width,
  height: Math.max(0, size.value.height - size.value.head),
})
const cells = computed(() => ({
  rowHeight: props.rowHeight,
  rows: all.value.length,
  frozen: props.frozen,
  widths: props.fields.map((field) => field.width),
}))
const lefts = computed(() => edges(cells.value.widths))
const total = computed(() => lefts.value.at(-1)!)

const grid = useGrid({
  rows: () => all.value,
  fields: () => props.fields,
  page: () => Math.max(1, Math.floor(sight().height / props.rowHeight) - 1 - props.frozen),
  focus: () => box.value?.focus(),
  // At once, before anything is written to the page: scrolled later, the browser would lay it out twice.
  show: intoView,
  open: (point) => emit('open', point),
  find: () => emit('find'),
  turn: (row) => emit('turn', props.groups[-1 - row]!.text),
  more: (rows) => emit('more', rows),
  filter: sieve,
  rename: (rename) => props.rename(rename),
  fresh: freshRow.put,
})
const { selection, block, editing, activeField, activePoint, editable } = grid

/** Filter by a column, at its head. */
function sieve(field: string) {
  const at = head.value?.headOf(field)
  if (at) emit('filter', field, at)
}

function intoView(row: number, col: number) {
  if (!box.value || !size.value.height) return
  const { top, left } = scrolledTo(row, col, sight(), cells.value, lefts.value)
  if (top !== scroll.top) box.value.scrollTop = scroll.top = top
  if (left !== scroll.left) box.value.scrollLeft = scroll.left = left
}

watch(
  [selection, all],
  () => {
    if (activePoint.value === undefined) return
    // In the empty last row no point is chosen, and nothing can be done with one.
    if (activePoint.value === 0) return emit('select', null)
    const { top, bottom, left, right } = block.value
    const chosen = (bottom - top + 1) * (right - left + 1)
    const points = bottom - top < 20_000 ? grid.points.value : []
    emit('select', { point: activePoint.value, field: activeField.value.name, cells: chosen, points })
  },
  { immediate: true },
)

watch(
  () => props.active,
  (point) => {
    const row = point === null ? undefined : plant.list.row(point)
    const place = row === undefined ? -1 : all.value.indexOf(row)
    if (place >= 0) grid.go(at(place, selection.value.active.col))
  },
  { immediate: true, flush: 'post' },
)

// What is drawn ------------------------------------------------------------------------------------------------

let painter: Painter | undefined
let fitting: Fitting | undefined
let rest: RowsAtRest | undefined
let scrolling = false

const frame = useRafFn(
  () => {
    frame.pause()
    draw()
  },
  { immediate: false },
)

function draw() {
  const whole = sight()
  const band = props.frozen * props.rowHeight
  const picture = {
    rows: all.value,
    rowHeight: props.rowHeight,
    fields: props.fields,
    groups: props.groups,
    contents,
    selection: selection.value,
    block: block.value,
    editing: editing.value !== null,
    colours: colours.value,
  }
  const under = { ...whole, top: whole.top + band, height: Math.max(0, whole.height - band) }
  painter?.draw({ ...picture, sight: under }, band)
  if (!band) return
  painter?.draw(
    { ...picture, rows: all.value.slice(0, props.frozen), sight: { ...whole, top: 0, height: band } },
    0,
  )
  painter?.edge(band, whole.width)
}

/** Lets the elements follow the drawing, now that nothing moves. */
const settle = (once = false) => {
  scrolling = false
  const { first, last } = rowsIn(sight(), cells.value)
  rest?.show(first, last, { once })
  const racks = new Set<number>()
  for (let index = first; index <= last; index++) racks.add(plant.list.racks[all.value[index]!] ?? 0)
  plant.watch([...racks].filter(Boolean))
}
const settled = useDebounceFn(() => settle(), RESTS_MS)

function where() {
  scroll.top = box.value?.scrollTop ?? 0
  scroll.left = box.value?.scrollLeft ?? 0
}

function scrolled() {
  scrolling = true
  rest?.pause()
  where()
  left.value = scroll.left
  scrolledBy.value = scroll.top
  frame.resume()
  void settled()
}

function measure() {
  const element = box.value
  if (!element || !canvas.value) return
  const height = element.clientHeight || WITHOUT_LAYOUT
  const width = element.clientWidth || total.value
  size.value = { width, height, head: (head.value?.$el as HTMLElement | undefined)?.offsetHeight ?? 0 }
  const tall = Math.max(0, height - size.value.head)
  canvas.value.width = Math.round(width * pixelRatio.value)
  canvas.value.height = Math.round(tall * pixelRatio.value)
  canvas.value.style.width = `${width}px`
  canvas.value.style.height = `${tall}px`
  // Made anew, it has forgotten its font.
  fitting?.forget()
  canvas.value.getContext('2d')?.setTransform(pixelRatio.value, 0, 0, pixelRatio.value, 0, 0)
  draw()
}

onMounted(() => {
  rest = new RowsAtRest(
    layer.value!,
    () => ({
      rows: all.value,
      point: (row) => plant.list.ids[row] ?? 0,
      rowHeight: props.rowHeight,
      top: (index) => topOf(index, scroll, cells.value) + scroll.top,
      frozen: props.frozen,
      fields: props.fields,
      groups: props.groups,
      contents,
      selection: selection.value,
      block: block.value,
      editing: editing.value !== null,
      editable,
    }),
    idleTime,
  )
  const on = canvas.value!.getContext('2d')
  if (on) {
    fitting = new Fitting(on)
    painter = new Painter(on, fitting)
  }
  measure()
  intoView(selection.value.active.row, selection.value.active.col)
  settle(true)
  if (!('fonts' in document)) return
  void Promise.all(NEEDED.map((font) => document.fonts.load(font))).then(() => {
    fitting?.forget()
    frame.resume()
  })
})
onBeforeUnmount(() => rest?.pause())
useResizeObserver(box, () => {
  measure()
  settle()
})
watch(pixelRatio, measure)

// Another order, other columns: where the rows are is another.
watch(
  [all, () => props.fields, () => props.rowHeight, () => props.groups, () => props.frozen],
  () => {
    // Fewer rows than before: the browser has scrolled by itself.
    scroll.top = Math.min(scroll.top, Math.max(0, all.value.length * props.rowHeight - sight().height))
    frame.resume()
    rest?.clear()
    rest?.hand(selection.value.active.row)
    void settled()
  },
  { flush: 'post' },
)
watch([selection, editing], ([now], [before]) => {
  frame.resume()
  rest?.hand(now.active.row)
  const ends = [now, before].flatMap((one) => [one.anchor.row, one.active.row])
  if (!scrolling) rest?.chose(Math.min(...ends), Math.max(...ends))
}, { flush: 'post', deep: 1 }) // prettier-ignore
watch(
  () => [plant.list.version, plant.findingsOf, plant.acceptedOf, plant.waitingSeen, plant.locks, plant.othersAt, plant.session],
  () => {
    frame.resume()
    if (!scrolling) rest?.renew()
  },
  { flush: 'post' },
) // prettier-ignore
watch(colours, () => frame.resume())
const liveFields = computed(() => props.fields.filter((field) => field.kind === 'live'))
/** What the live cells in sight say: a tick that changes none of them draws nothing. */
function liveSays(): string {
  if (!liveFields.value.length) return ''
  contents.begin()
  const { first, last } = rowsIn(sight(), cells.value)
  const says: string[] = []
  for (const row of [...all.value.slice(0, props.frozen), ...all.value.slice(first, last + 1)])
    if (!isGroup(row) && row !== FRESH)
      for (const field of liveFields.value) says.push(...contents.cell(row, field).parts.map((part) => part.tone + part.text)) // prettier-ignore
  return says.join('\n')
}
let saidLive = ''
watch(
  () => plant.live.version,
  () => {
    const says = liveSays()
    if (says === saidLive) return
    saidLive = says
    frame.resume()
    if (!scrolling) rest?.renew('live')
  },
)

// Where the hand presses -----------------------------------------------------------------------------------------

const left = ref(0)
const scrolledBy = ref(0)
const pressing = shallowRef(false)

/** The cell that an event is at; none where something else hears it: the heads, the editor, the name of a group. */
function placeOf(event: MouseEvent) {
  if ((event.target as Element).closest('.editor, .head, button')) return undefined
  // The box may have been scrolled and not said so yet.
  where()
  const drawn = canvas.value!.getBoundingClientRect()
  return cellAt(event.clientX - drawn.left, event.clientY - drawn.top, sight(), cells.value, lefts.value)
}

/** A finger that is put down may be about to scroll: it has chosen when it is lifted where it was. */
function tap(event: MouseEvent) {
  if ((event as PointerEvent).pointerType !== 'touch') return
  const place = placeOf(event)
  if (place) grid.press(event, place.row, place.col)
}

function press(event: PointerEvent) {
  if (event.pointerType === 'touch') return
  const place = placeOf(event)
  if (!place) return
  // The corner of a selection belongs to all of it: a press there takes nothing of it away.
  if (onCorner(event)) return event.preventDefault()
  pressing.value = true
  box.value?.setPointerCapture(event.pointerId)
  event.preventDefault()
  grid.press(event, place.row, place.col)
}

function drag(event: PointerEvent) {
  if (!pressing.value) return
  where()
  const drawn = canvas.value!.getBoundingClientRect()
  const x = Math.min(Math.max(event.clientX - drawn.left, 0), drawn.width - 1)
  const y = Math.min(Math.max(event.clientY - drawn.top, -1), drawn.height)
  // One row above or below what is in sight: it comes into sight, and so does the next.
  const place = cellAt(x, Math.min(Math.max(y, 0), drawn.height - 1), sight(), cells.value, lefts.value)
  const inside = y >= 0 && y < drawn.height ? place?.row : undefined
  const row = inside ?? Math.floor((sight().top + y) / props.rowHeight)
  const { active } = selection.value
  const next = { row: Math.min(Math.max(row, 0), all.value.length - 1), col: place?.col ?? active.col }
  if (next.row === active.row && next.col === active.col) return
  grid.drag(event, next.row, next.col)
  intoView(next.row, next.col)
}

/** Whether the corner of the selection is meant. */
function onCorner(event: MouseEvent): boolean {
  const corner = cornerOf(block.value, sight(), cells.value, lefts.value)
  if (!corner || (all.value[block.value.bottom] ?? -1) < 0) return false
  const drawn = canvas.value!.getBoundingClientRect()
  const off = [corner.x - (event.clientX - drawn.left), corner.y - (event.clientY - drawn.top)]
  return off.every((by) => by >= 0 && by <= CORNER + 1)
}

function twice(event: MouseEvent) {
  const place = placeOf(event)
  if (!place) return
  const row = all.value[place.row]!
  if (onCorner(event)) return grid.fillAlong()
  if (isGroup(row)) emit('turn', props.groups[-1 - row]!.text)
  else grid.edit()
}

useEventListener(layer, 'click', (event: MouseEvent) => {
  const group = (event.target as Element).closest<HTMLElement>('[data-turn]')
  if (group) emit('turn', group.dataset.turn!)
})

/** Where the cell being typed into stands, in the body. */
const opened = computed(() => {
  const { row, col } = selection.value.active
  return {
    top: `${topOf(row, { top: scrolledBy.value }, cells.value) + scrolledBy.value}px`,
    left: `${col === 0 ? left.value : lefts.value[col]}px`,
    width: `${props.fields[col]?.width ?? 0}px`,
    height: `${props.rowHeight}px`,
  }
})

const offers = useOffers(() => editing.value && { point: editing.value.point, field: activeField.value })

defineExpose({
  focus: () => box.value?.focus(),
  go: (row: number) => grid.go(at(row, selection.value.active.col)),
  points: grid.points,
  texts: () => grid.selectedTexts(),
  edit: () => grid.edit(),
  filter: () => sieve(activeField.value.name),
  fillDown: grid.fillDown,
  countOn: grid.countOn,
  clear: grid.clear,
})
</script>

<template>
  <div
    ref="box"
    class="grid"
    role="grid"
    tabindex="0"
    aria-label="I/O list"
    aria-multiselectable="true"
    :aria-rowcount="all.length + 2"
    :aria-colcount="fields.length"
    :aria-activedescendant="activePoint === undefined ? undefined : `cell-${activePoint}-${activeField.name}`"
    @keydown="grid.key"
    @copy="grid.copy"
    @paste="grid.paste"
    @scroll.passive="scrolled"
    @pointerdown="press"
    @click="tap"
    @pointermove="drag"
    @pointerup="pressing = false"
    @pointercancel="pressing = false"
    @dblclick="twice"
  >
    <GridHead
      ref="head"
      :fields="fields"
      :sort="sort"
      :filtered="filtered"
      @filter="(field, at) => emit('filter', field, at)"
      @sort="(field, more) => emit('sort', field, more)"
      @width="(field, pixels) => emit('width', field, pixels)"
      @reorder="(field, after) => emit('reorder', field, after)"
    />
    <div class="body" role="rowgroup" :style="{ height: `${all.length * rowHeight}px`, width: `${total}px` }">
      <div class="pane" role="presentation" :style="{ top: `${size.head}px` }">
        <canvas ref="canvas" aria-hidden="true" />
      </div>
      <div ref="layer" class="layer" role="presentation" />
      <div v-if="editing" class="open" role="presentation" :style="opened">
        <CellEditor
          v-model="editing.text"
          :offers="offers"
          :select-all="editing.all"
          :label="`${activeField.station} ${activeField.label}`"
          @done="grid.accept"
          @leave="grid.leave"
        />
      </div>
    </div>
    <p v-if="!rows.length" class="empty quiet"><slot name="empty" /></p>
  </div>
</template>

<style scoped>
.grid {
  position: relative;
  overflow: auto;
  border: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-background));
  user-select: none;
}

.grid:focus-visible {
  outline: none;
}

.body {
  position: relative;
  overflow: clip;
}

/* It stays where it is while rows and columns move under it; what is drawn moves instead. */
.pane {
  position: sticky;
  left: 0;
  width: 0;
  height: 0;
}

.pane canvas {
  display: block;
}

.layer {
  position: absolute;
  inset: 0;
  color: transparent;
}

.layer :deep(.row) {
  position: absolute;
  top: 0;
  contain: strict;
}

.layer :deep(.cell) {
  position: absolute;
  top: 0;
  height: 100%;
  padding: 0 5px;
  overflow: hidden;
  font-size: 12px;
  text-overflow: clip;
  white-space: nowrap;
}

.layer :deep(.frozen) {
  position: sticky;
  left: 0;
  display: block;
  font-family: var(--mono);
}

.layer :deep(.right) {
  font-family: var(--mono);
  text-align: right;
}

.layer :deep(.group) {
  position: sticky;
  left: 0;
  display: inline-flex;
  gap: 8px;
  padding: 0 6px;
  font-size: 12px;
}

.layer :deep(.group button) {
  color: inherit;
  cursor: pointer;
}

.open {
  position: absolute;
  z-index: 6;
}

/* Whoever sets the colours himself reads the elements, not the drawing. */
@media (forced-colors: active) {
  .pane {
    display: none;
  }

  .layer {
    color: CanvasText;
  }

  .layer :deep(.cell) {
    border: 1px solid GrayText;
  }

  .layer :deep(.active) {
    outline: 2px solid Highlight;
  }
}

.empty {
  padding: 30px;
}
</style>
