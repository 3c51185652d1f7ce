<script setup lang="ts">
/**
 * Points by area, the value now beside each; arrows move. At the left of the path page a line or two a point; as cards, on
 * a phone, also where it is landed and what does not agree.
 */
import { computed, nextTick, ref, watch } from 'vue'
import type { VVirtualScroll } from 'vuetify/components/VVirtualScroll'
import { mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import LiveCell from './LiveCell.vue'

const props = defineProps<{ rows: number[]; point: number; cards?: boolean }>()
const emit = defineEmits<{ open: [point: number] }>()
const plant = usePlant()
const box = ref<VVirtualScroll | null>(null)

interface Line {
  key: string
  area?: string
  row: number
}
const lines = computed<Line[]>(() => {
  void plant.list.version
  const out: Line[] = []
  let area: string | undefined
  for (const row of props.rows) {
    if (row < 0) continue
    const here = plant.list.text('area', row)
    if (here !== area) out.push({ key: `area before ${row}`, area: here || 'no area', row: -1 })
    area = here
    out.push({ key: String(row), row })
  }
  return out
})
const place = computed(() =>
  lines.value.findIndex((line) => line.row >= 0 && plant.list.ids[line.row] === props.point),
)
watch(place, (index) => index >= 0 && nextTick(() => box.value?.scrollToIndex(index)), {
  immediate: true,
  flush: 'post',
})

function step(by: number) {
  const rows = props.rows
  const now = rows.findIndex((row) => plant.list.ids[row] === props.point)
  const next = rows[Math.max(0, Math.min(rows.length - 1, now + by))]
  if (next !== undefined) emit('open', plant.list.ids[next]!)
}

const text = (field: string, row: number) => plant.list.text(field, row)
const worst = (row: number) => plant.findingsOf.get(plant.list.ids[row]!)?.[0]
</script>

<template>
  <v-virtual-scroll
    ref="box"
    class="points"
    :class="{ cards }"
    :items="lines"
    item-key="key"
    tabindex="0"
    role="listbox"
    aria-label="points"
    @keydown.down.prevent="step(1)"
    @keydown.up.prevent="step(-1)"
  >
    <template #default="{ item: { area, row } }">
      <p v-if="area !== undefined" class="area quiet" role="presentation">{{ area }}</p>
      <v-list-item
        v-else
        class="point"
        role="option"
        tabindex="-1"
        :active="plant.list.ids[row] === point"
        :aria-selected="plant.list.ids[row] === point"
        @click="emit('open', plant.list.ids[row]!)"
      >
        <span class="lines">
          <span class="mark" :class="worst(row)?.severity">{{ worst(row) ? mark(worst(row)!) : '·' }}</span>
          <span class="tag figure">{{ text('tag', row) }}</span>
          <LiveCell :point="plant.list.ids[row]!" />
          <span class="service quiet small">{{ text('service', row) }}</span>
          <template v-if="cards">
            <span class="service small">
              <span class="figure">{{ text('channel', row) || 'no channel' }}</span> ·
              {{ text('signal', row) }}
            </span>
            <span v-if="worst(row)" class="service small" :class="worst(row)!.severity">{{
              worst(row)!.text
            }}</span>
          </template>
        </span>
      </v-list-item>
    </template>
  </v-virtual-scroll>
</template>

<style scoped>
.points {
  height: 100%;
  border-right: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

.area {
  height: 26px;
  margin: 0;
  padding: 4px 10px;
  background: rgb(var(--v-theme-band));
}

.point {
  min-height: 44px;
  padding: 3px 8px 2px 6px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  border-left: 4px solid transparent;
  border-radius: 0;
}

.cards .point {
  min-height: 68px;
  padding: 6px 10px;
}

.lines {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) auto;
  column-gap: 4px;
}

.point.v-list-item--active {
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

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
