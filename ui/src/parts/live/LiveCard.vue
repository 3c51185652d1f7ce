<script setup lang="ts">
/** One point of the board: large figure, what is wrong in words, its last minutes; it hangs from the duct. */
import { computed, ref } from 'vue'
import { useIntersectionObserver } from '@vueuse/core'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import { nowOf, type Now } from '../../plant/now'
import AlarmMark from './AlarmMark.vue'
import SmallTrend from '../../plot/SmallTrend.vue'

const props = defineProps<{
  point: number
  on: boolean
  seconds: number
  stations: (number | null)[] | null
  trend: Schemas['TrendOut'] | null
}>()
const plant = usePlant()
const row = computed(() => (void plant.list.version, plant.list.row(props.point) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const rack = computed(() => (void plant.list.version, plant.list.racks[row.value] ?? 0))
// Of two hundred cards a tenth are in sight; the others wait until they are.
const card = ref<HTMLElement | null>(null)
const inSight = ref(true)
useIntersectionObserver(card, ([entry]) => (inSight.value = entry!.isIntersecting), { rootMargin: '200px' })
const now = computed<Now>((before) => {
  if (!inSight.value && before) return before
  void plant.live.versionOf(rack.value)
  void plant.list.version
  return nowOf(plant, props.point)
})
const meter = computed(() => (void now.value, plant.live.meter(props.point)))
const band = computed(() => {
  const names = text('bands').split(' < ').filter((_, i) => i % 2 === 0) // prettier-ignore
  return now.value.reading ? (names[now.value.reading.band] ?? '') : ''
})
const NAMES = ['pipe', 'device', 'wires', 'input', 'counts', 'value']
/** States and whole counts as they are, other figures with four digits that mean something, a tenth at least. */
function short(x: number | null) {
  if (x === null) return '–'
  const text = Number.isInteger(x) ? String(x) : Math.abs(x) >= 1000 ? x.toFixed(1) : x.toPrecision(4)
  return text.replace('-', '−')
}
</script>

<template>
  <article ref="card" class="hung panel" :class="[now.kind, { on }]">
    <span class="drop" aria-hidden="true"></span>
    <header>
      <strong class="figure">{{ text('tag') }}</strong>
      <AlarmMark :point="point" />
    </header>
    <p v-tip="text('service')" class="service">{{ text('service') || 'no service said' }}</p>
    <p v-tip="now.title" class="big figure" :class="{ words: now.text.length > 9 }">
      <span v-if="now.mark" aria-hidden="true" class="mark">{{ now.mark }}</span>{{ now.text
      }}<span class="unit">{{ now.unit }}</span>
    </p>
    <p v-tip="now.says" class="says small">
      <template v-if="now.says">{{ now.says }}</template>
      <template v-else-if="band">{{ band }}</template>
      <template v-else-if="meter">{{ meter.counted }} counted</template>
    </p>
    <ol v-if="stations" class="stations figure">
      <li v-for="(x, i) in stations" :key="i">
        <span class="quiet">{{ NAMES[i] }}</span> {{ short(x) }}
      </li>
    </ol>
    <SmallTrend v-else :point="point" :seconds="seconds" :fed="trend" :rests="!inSight" />
  </article>
</template>

<style scoped>
.hung {
  position: relative;
  display: grid;
  grid-template-rows: 20px 17px 38px 18px 38px;
  margin-top: 14px;
  padding: 6px 10px;
  cursor: pointer;
}

.drop {
  position: absolute;
  bottom: 100%;
  left: 26px;
  width: 3px;
  height: 14px;
  background: rgb(var(--v-theme-copper));
}

.hung.on {
  border-color: rgb(var(--v-theme-copper));
  box-shadow: 0 0 0 1px rgb(var(--v-theme-copper));
}

header {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  overflow: hidden;
}

p {
  margin: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.service {
  color: rgb(var(--v-theme-quiet));
  font-size: 12px;
}

.big {
  font-size: 28px;
  line-height: 38px;
}

.big.words {
  font-size: 20px;
}

.unit {
  margin-left: 5px;
  color: rgb(var(--v-theme-quiet));
  font-size: 13px;
}

.mark {
  margin-right: 6px;
  font-size: 0.7em;
}

.says {
  color: rgb(var(--v-theme-quiet));
}

.bad {
  border-color: rgb(var(--v-theme-bad));
}

.bad .big,
.bad .says {
  color: rgb(var(--v-theme-bad));
}

.doubtful {
  border-color: rgb(var(--v-theme-settle));
}

.doubtful .big,
.doubtful .says {
  color: rgb(var(--v-theme-settle));
}

.stale .big {
  color: rgb(var(--v-theme-quiet));
  font-style: italic;
}

.injected {
  border: 1px dashed rgb(var(--v-theme-apart));
}

.injected .big {
  color: rgb(var(--v-theme-apart));
}

.stations {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0 14px;
  margin: 0;
  padding: 0;
  font-size: 11px;
  line-height: 13px;
  list-style: none;
}

.stations li {
  display: flex;
  justify-content: space-between;
  overflow: hidden;
  white-space: nowrap;
}
</style>
