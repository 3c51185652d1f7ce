<script setup lang="ts">
/**
 * The list as a grid: rows drawn by us over a virtualiser, the tag column frozen. What keys, clipboard and
 * mouse do is in useGrid.ts; this file draws.
 */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch } from 'vue'
import type { Schemas } from '../api/client'
import LiveCell from '../parts/LiveCell.vue'
import { accepted, mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import { asTyped } from '../plant/words'
import CellEditor from './CellEditor.vue'
import GridHead from './GridHead.vue'
import type { Group } from '../plant/order'
import { at, holds } from './selection'
import { useGrid } from './useGrid'

type Field = Schemas['FieldOut']

const props = withDefaults(
  defineProps<{
    rows: number[]
    fields: Field[]
    active: number | null
    groups?: Group[]
    sort?: { field: string; down?: boolean }[]
    rowHeight?: number
    /** Told of a new tag before it is saved; true if it is taken care of. */
    rename?: (rename: { point: number; was: string; text: string }) => boolean
  }>(),
  { groups: () => [], sort: () => [], rowHeight: 25, rename: () => false },
)
const emit = defineEmits<{
  select: [selection: { point: number; field: string; cells: number; points: number[] }]
  open: [point: number]
  find: []
  turn: [group: string]
  more: [rows: Record<string, string>[]]
  sort: [field: string, more: boolean]
  width: [field: string, pixels: number]
  reorder: [field: string, after: string]
}>()
const plant = usePlant()
const box = ref<HTMLElement | null>(null)

const virtual = useVirtualizer(
  computed(() => ({
    count: props.rows.length,
    getScrollElement: () => box.value,
    estimateSize: () => props.rowHeight,
    overscan: 6,
    scrollPaddingStart: 56,
  })),
)
const drawn = computed(() => virtual.value.getVirtualItems())
// Rows that scroll out are drawn over by rows that come in: new elements cost far more than new texts in old ones.
let most = 1
const pool = computed(() => (most = Math.max(most, drawn.value.length)))
// In the order of their elements, so that none is moved about the page: a moved one is styled anew.
const slots = computed(() => [...drawn.value].sort((a, b) => (a.index % pool.value) - (b.index % pool.value)))
const grid = useGrid({
  rows: () => props.rows,
  fields: () => props.fields,
  page: () => Math.max(1, Math.floor((box.value?.clientHeight ?? 400) / props.rowHeight) - 3),
  focus: () => box.value?.focus(),
  show: (row, col) =>
    void nextTick(() => {
      virtual.value.scrollToIndex(row, { align: 'auto' })
      intoView(col)
    }),
  open: (point) => emit('open', point),
  find: () => emit('find'),
  turn: (row) => emit('turn', props.groups[-1 - row]!.text),
  more: (rows) => emit('more', rows),
  rename: (rename) => props.rename(rename),
})
const { selection, block, editing, activeField, activePoint, editable } = grid

watch(
  () => props.rowHeight,
  () => virtual.value.measure(),
)

const starts = computed(() => props.fields.map((f, i) => i > 0 && f.station !== props.fields[i - 1]!.station))
const total = computed(() => props.fields.reduce((sum, field) => sum + field.width, 0))
const lefts = computed(() => {
  let x = 0
  return props.fields.map((field) => (x += field.width) - field.width)
})

watch(
  [selection, () => props.rows],
  () => {
    if (activePoint.value === undefined) return
    const { top, bottom, left, right } = block.value
    const cells = (bottom - top + 1) * (right - left + 1)
    const points = bottom - top < 20_000 ? grid.points.value : []
    emit('select', { point: activePoint.value, field: activeField.value.name, cells, points })
  },
  { immediate: true },
)

watch(
  () => props.active,
  (point) => {
    const row = point === null ? undefined : plant.list.row(point)
    const place = row === undefined ? -1 : props.rows.indexOf(row)
    if (place >= 0) grid.go(at(place, selection.value.active.col))
  },
  { immediate: true, flush: 'post' },
)

// The racks whose values are on screen.
watch(
  drawn,
  (items) => {
    const racks = new Set(items.map((item) => plant.list.racks[props.rows[item.index] ?? -1] ?? 0))
    plant.watch([...racks].filter(Boolean))
  },
  { flush: 'post' },
)

/** Scroll sideways so that the active cell is whole, beside the frozen tag column. */
function intoView(col: number) {
  const element = box.value
  if (!element || col === 0) return
  const left = lefts.value[col]!
  const right = left + props.fields[col]!.width
  const frozen = props.fields[0]!.width
  if (left - frozen < element.scrollLeft) element.scrollLeft = left - frozen
  else if (right > element.scrollLeft + element.clientWidth) element.scrollLeft = right - element.clientWidth
}

/** What a row is drawn from: scrolling draws again only the rows that come in. */
function memo(item: { index: number; start: number }) {
  const row = props.rows[item.index]!
  const here = item.index === selection.value.active.row
  const { top, bottom, left, right } = block.value
  const picked = item.index >= top && item.index <= bottom ? `${left}-${right}` : ''
  const others =
    row < 0 ? '' : (plant.othersAt.get(plant.list.ids[row]!) ?? []).map((p) => p.who + p.field).join()
  return [
    row, item.index, item.start, props.fields, props.rowHeight, props.groups, picked,
    here ? selection.value.active.col : -1, here ? editing.value : null, here ? editing.value?.text : '',
    plant.list.version, plant.findingsOf, plant.acceptedOf, plant.waitingSeen, plant.locks, others, plant.session,
  ] // prettier-ignore
}
const othersIn = (row: number, field: string) =>
  (plant.othersAt.get(plant.list.ids[row]!) ?? []).filter((person) => person.field === field)

const text = (field: Field, row: number) => (void plant.list.version, plant.list.text(field.name, row))
const choicesOf = (field: Field) => (field.kind === 'unit' ? [] : field.choices)
const figures = (field: Field) => ['number', 'whole'].includes(field.kind)
const findingsAt = (row: number) => plant.findingsOf.get(plant.list.ids[row]!) ?? []
const toldAt = (row: number) => [...findingsAt(row), ...(plant.acceptedOf.get(plant.list.ids[row]!) ?? [])]
const worst = (row: number) => findingsAt(row)[0]?.severity ?? ''
const marked = (row: number, field: string) =>
  findingsAt(row).find((f) => f.cells.some((c) => c.point === plant.list.ids[row] && c.field === field))
    ?.severity

defineExpose({
  focus: () => box.value?.focus(),
  go: (row: number) => grid.go(at(row, selection.value.active.col)),
  points: grid.points,
  texts: () => grid.selectedTexts(),
  edit: () => grid.edit(),
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
    :aria-rowcount="rows.length + 2"
    :aria-colcount="fields.length"
    :aria-activedescendant="activePoint === undefined ? undefined : `cell-${activePoint}-${activeField.name}`"
    @keydown="grid.key"
    @copy="grid.copy"
    @paste="grid.paste"
  >
    <GridHead
      :fields="fields"
      :sort="sort"
      @sort="(field, more) => emit('sort', field, more)"
      @width="(field, pixels) => emit('width', field, pixels)"
      @reorder="(field, after) => emit('reorder', field, after)"
    />
    <div class="body" :style="{ height: `${virtual.getTotalSize()}px`, width: `${total}px` }">
      <div
        v-for="item in slots"
        :key="item.index % pool"
        v-memo="memo(item)"
        class="row"
        role="row"
        :aria-rowindex="item.index + 3"
        :class="{ here: item.index === selection.active.row }"
        :style="{
          transform: `translateY(${item.start}px)`,
          width: `${total}px`,
          height: `${rowHeight}px`,
          lineHeight: `${rowHeight - 1}px`,
        }"
      >
        <span
          v-if="rows[item.index]! < 0"
          class="group"
          role="gridcell"
          :aria-expanded="!groups[-1 - rows[item.index]!]!.closed"
          @mousedown="grid.press($event, item.index, 0)"
          @dblclick="emit('turn', groups[-1 - rows[item.index]!]!.text)"
        >
          <button type="button" tabindex="-1" @click="emit('turn', groups[-1 - rows[item.index]!]!.text)">
            <span aria-hidden="true">{{ groups[-1 - rows[item.index]!]!.closed ? '▸' : '▾' }}</span>
            {{ groups[-1 - rows[item.index]!]!.text || 'none' }}
          </button>
          <span class="quiet">{{ groups[-1 - rows[item.index]!]!.count }} points</span>
        </span>
        <template v-else>
          <span
            v-for="(field, c) in fields"
            :id="`cell-${plant.list.ids[rows[item.index]!]}-${field.name}`"
            :key="field.name"
            class="cell"
            role="gridcell"
            :aria-colindex="c + 1"
            :aria-selected="holds(block, item.index, c)"
            :aria-readonly="!editable(field)"
            :class="[
              {
                frozen: c === 0,
                start: starts[c],
                right: figures(field) || field.kind === 'live',
                picked: holds(block, item.index, c),
                active: item.index === selection.active.row && c === selection.active.col,
                open: editing && item.index === selection.active.row && c === selection.active.col,
                shared: othersIn(rows[item.index]!, field.name).length,
              },
              marked(rows[item.index]!, field.name),
              plant.waitingAt(plant.list.ids[rows[item.index]!]!, field.name)?.state,
            ]"
            :style="{ width: `${field.width}px` }"
            @mousedown="grid.press($event, item.index, c)"
            @mouseenter="grid.drag($event, item.index, c)"
            @dblclick="grid.edit()"
          >
            <CellEditor
              v-if="editing && item.index === selection.active.row && c === selection.active.col"
              v-model="editing.text"
              :choices="choicesOf(field)"
              :select-all="editing.all"
              :label="`${field.station} ${field.label}`"
              @done="grid.accept"
              @leave="grid.leave"
            />
            <LiveCell v-else-if="field.kind === 'live'" :point="plant.list.ids[rows[item.index]!]!" />
            <template v-else-if="field.kind === 'checks'">
              <span
                v-for="finding in toldAt(rows[item.index]!)"
                :key="finding.key"
                :class="['check', accepted(finding) ? 'quiet' : finding.severity]"
                ><span aria-hidden="true">{{ mark(finding) }}</span> {{ finding.text
                }}{{ accepted(finding) ? ` (accepted: ${finding.waived!.reason})` : '' }}
              </span>
            </template>
            <template v-else>
              <span
                v-if="c === 0 && worst(rows[item.index]!)"
                class="flag check"
                :class="worst(rows[item.index]!)"
                >{{ mark({ severity: worst(rows[item.index]!) }) }}</span>{{
                plant.waitingAt(plant.list.ids[rows[item.index]!]!, field.name)?.text ??
                (figures(field) ? asTyped(text(field, rows[item.index]!)) : text(field, rows[item.index]!))
              }}<span
                v-if="c === 0 && plant.locks.has(plant.list.ids[rows[item.index]!]!)"
                class="lock"
                :title="`locked by ${plant.locks.get(plant.list.ids[rows[item.index]!]!)?.who}: ${plant.locks.get(plant.list.ids[rows[item.index]!]!)?.why}`"
                >locked</span
              ></template
            >
            <span
              v-for="person in othersIn(rows[item.index]!, field.name)"
              :key="person.tab"
              class="other"
              :title="`${person.who} is here`"
              >{{ person.who }}</span
            >
          </span>
        </template>
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

.row {
  display: flex;
}

.cell.start {
  border-left: 3px solid rgb(var(--v-theme-copper));
}

.cell.start {
  border-left-color: color-mix(in srgb, rgb(var(--v-theme-copper)) 35%, transparent);
}

.body {
  position: relative;
}

.row {
  position: absolute;
  top: 0;
}

.group {
  position: sticky;
  left: 0;
  display: flex;
  align-items: baseline;
  gap: 8px;
  width: 100%;
  padding: 2px 6px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-band));
  font-size: 12px;
}

.group button {
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  font-weight: 600;
  cursor: pointer;
}

.row.here .group {
  outline: 2px solid rgb(var(--v-theme-copper));
  outline-offset: -2px;
}

.lock {
  margin-left: 5px;
  padding: 0 3px;
  border: 1px dashed rgb(var(--v-theme-ink));
  border-radius: 2px;
  font-family: var(--sans);
  font-size: 10px;
  font-weight: 400;
}

.cell.shared {
  outline: 1px dashed rgb(var(--v-theme-ink));
  outline-offset: -2px;
}

.other {
  position: absolute;
  top: 0;
  right: 0;
  max-width: 100%;
  padding: 0 4px;
  overflow: hidden;
  background: rgb(var(--v-theme-ink));
  color: rgb(var(--v-theme-surface));
  font-family: var(--sans);
  font-size: 9.5px;
  line-height: 12px;
}

.cell {
  position: relative;
  flex: none;
  padding: 0 5px;
  font-size: 12px;
  border-right: 1px solid rgb(var(--v-theme-line));
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-surface));
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.cell.active {
  z-index: 2;
  outline: 2px solid rgb(var(--v-theme-copper));
  outline-offset: -2px;
}

.cell.open {
  overflow: visible;
}

.right {
  font-family: var(--mono);
  font-variant-numeric: tabular-nums;
  text-align: right;
}

.frozen {
  position: sticky;
  left: 0;
  z-index: 3;
  font-weight: 600;
}

.cell.frozen {
  font-family: var(--mono);
}

/* Rows stand above one another in drawing order: the one with an open editor must come last. */
.row.here {
  z-index: 2;
}

.row.here .cell {
  background: rgb(var(--v-theme-copper-wash));
}

.cell.picked:not(.active) {
  background: color-mix(in srgb, rgb(var(--v-theme-copper)) 16%, rgb(var(--v-theme-surface)));
}

.cell.settle {
  box-shadow: inset 0 -2px 0 rgb(var(--v-theme-settle));
}

.cell.bad {
  box-shadow: inset 0 -2px 0 rgb(var(--v-theme-bad));
}

.cell.held {
  background: rgb(var(--v-theme-apart-wash)) !important;
  color: rgb(var(--v-theme-apart));
  outline: 1px dashed rgb(var(--v-theme-apart));
  outline-offset: -2px;
}

.cell.saving {
  color: rgb(var(--v-theme-quiet));
}

.cell.refused,
.cell.conflict {
  background: rgb(var(--v-theme-bad-wash)) !important;
  color: rgb(var(--v-theme-bad));
  text-decoration: underline wavy;
}

.flag {
  position: absolute;
  right: 4px;
  font-size: 10px;
}

.check.settle {
  color: rgb(var(--v-theme-settle));
}

.check.bad {
  color: rgb(var(--v-theme-bad));
}

.empty {
  padding: 30px;
}
</style>
