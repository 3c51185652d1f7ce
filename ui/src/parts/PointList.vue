<script setup lang="ts">
/** The points at the left of the path page, by area; arrows move, the value now stands beside each. */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch } from 'vue'
import { mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import LiveCell from './LiveCell.vue'

const props = defineProps<{ rows: number[]; point: number }>()
const emit = defineEmits<{ open: [point: number] }>()
const plant = usePlant()
const box = ref<HTMLElement | null>(null)

type Line = { area: string } | { row: number }
const lines = computed<Line[]>(() => {
  void plant.list.version
  const out: Line[] = []
  let area: string | undefined
  for (const row of props.rows) {
    const here = plant.list.text('area', row)
    if (here !== area) out.push({ area: here || 'no area' })
    area = here
    out.push({ row })
  }
  return out
})
const virtual = useVirtualizer(
  computed(() => ({
    count: lines.value.length,
    getScrollElement: () => box.value,
    estimateSize: (i: number) => ('area' in lines.value[i]! ? 26 : 44),
    overscan: 8,
  })),
)
const place = computed(() =>
  lines.value.findIndex((line) => 'row' in line && plant.list.ids[line.row] === props.point),
)
watch(place, (index) => index >= 0 && nextTick(() => virtual.value.scrollToIndex(index, { align: 'auto' })), {
  immediate: true,
  flush: 'post',
})

function step(by: number) {
  const rows = props.rows
  const now = rows.findIndex((row) => plant.list.ids[row] === props.point)
  const next = rows[Math.max(0, Math.min(rows.length - 1, now + by))]
  if (next !== undefined) emit('open', plant.list.ids[next]!)
}

const worst = (row: number) => {
  const [first] = plant.findingsOf.get(plant.list.ids[row]!) ?? []
  return first ? mark(first) : ''
}
</script>

<template>
  <div
    ref="box"
    class="points"
    tabindex="0"
    role="listbox"
    aria-label="points"
    @keydown.down.prevent="step(1)"
    @keydown.up.prevent="step(-1)"
  >
    <div :style="{ height: `${virtual.getTotalSize()}px`, position: 'relative' }">
      <template v-for="item in virtual.getVirtualItems()" :key="item.index">
        <p
          v-if="'area' in lines[item.index]!"
          class="area quiet"
          :style="{ transform: `translateY(${item.start}px)` }"
        >
          {{ (lines[item.index] as { area: string }).area }}
        </p>
        <button
          v-else
          type="button"
          role="option"
          tabindex="-1"
          class="point"
          :class="{ here: item.index === place }"
          :aria-selected="item.index === place"
          :style="{ transform: `translateY(${item.start}px)` }"
          @click="emit('open', plant.list.ids[(lines[item.index] as { row: number }).row]!)"
        >
          <span
            class="mark"
            :class="worst((lines[item.index] as { row: number }).row) === '■' ? 'bad' : 'settle'"
            >{{ worst((lines[item.index] as { row: number }).row) || '·' }}</span
          >
          <span class="tag figure">{{
            plant.list.text('tag', (lines[item.index] as { row: number }).row)
          }}</span>
          <LiveCell :point="plant.list.ids[(lines[item.index] as { row: number }).row]!" />
          <span class="service quiet small">{{
            plant.list.text('service', (lines[item.index] as { row: number }).row)
          }}</span>
        </button>
      </template>
    </div>
  </div>
</template>

<style scoped>
.points {
  overflow: auto;
  border-right: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

.area,
.point {
  position: absolute;
  top: 0;
  left: 0;
  width: 100%;
}

.area {
  height: 26px;
  margin: 0;
  padding: 4px 10px;
  background: rgb(var(--v-theme-band));
}

.point {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) auto;
  column-gap: 4px;
  height: 44px;
  padding: 3px 8px 2px 6px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  border-left: 4px solid transparent;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.point.here {
  border-left-color: rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-surface));
}

.tag {
  overflow: hidden;
  text-overflow: ellipsis;
  font-weight: 600;
  white-space: nowrap;
}

.service {
  grid-column: 2 / 4;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.mark.settle {
  color: rgb(var(--v-theme-settle));
}

.mark.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
