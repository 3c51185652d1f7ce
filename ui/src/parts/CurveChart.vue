<script setup lang="ts">
/** Value over the wires: what the list shows, beside it what the device means, and where the reading lies. */
import { scaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { figure } from '../plant/words'

const props = defineProps<{
  curve: Schemas['CurveOut'] | null
  loop: number | null
  value: number | null
  apart: boolean
}>()
const WIDTH = 330
const HEIGHT = 214
const PAD = { left: 52, right: 12, top: 10, bottom: 30 }

const known = (values: (number | null)[]) => values.filter((v): v is number => v !== null)
const scales = computed(() => {
  const curve = props.curve
  if (!curve) return null
  const xs = known(curve.loop)
  const ys = [...known(curve.shows), ...known(curve.device), ...known(curve.straight)]
  if (xs.length < 2 || ys.length < 2) return null
  if (props.loop !== null && props.value !== null) {
    xs.push(props.loop)
    ys.push(props.value)
  }
  const low = curve.fault_low == null ? Math.min(...xs) : Math.min(curve.fault_low - 0.4, ...xs)
  const high = curve.fault_high == null ? Math.max(...xs) : Math.max(curve.fault_high + 0.4, ...xs)
  return {
    x: scaleLinear([low, high], [PAD.left, WIDTH - PAD.right]),
    y: scaleLinear([Math.min(...ys), Math.max(...ys)], [HEIGHT - PAD.bottom, PAD.top]).nice(4),
  }
})
function drawn(values: (number | null)[]): string {
  const { curve } = props
  if (!scales.value || !curve) return ''
  const { x, y } = scales.value
  const points = values.map((v, i): [number | null, number | null] => [curve.loop[i] ?? null, v])
  return (
    line<[number | null, number | null]>()
      .defined(([a, b]) => a !== null && b !== null)
      .x(([a]) => x(a!))
      .y(([, b]) => y(b!))(points) ?? ''
  )
}
const tick = (value: number) => figure(value, Math.abs(value) < 10 && value % 1 ? 1 : 0)
</script>

<template>
  <section class="panel curve">
    <h3 v-if="curve" class="quiet">
      {{ curve.value_unit || 'value' }} over {{ curve.loop_unit }}: what the list shows
    </h3>
    <svg
      v-if="scales && curve"
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      role="img"
      aria-label="curve of the scaling"
    >
      <template v-if="curve.fault_low != null && curve.fault_high != null">
        <rect
          class="fault"
          :x="PAD.left"
          :y="PAD.top"
          :width="Math.max(0, scales.x(curve.fault_low) - PAD.left)"
          :height="HEIGHT - PAD.top - PAD.bottom"
        />
        <rect
          class="fault"
          :x="scales.x(curve.fault_high)"
          :y="PAD.top"
          :width="Math.max(0, WIDTH - PAD.right - scales.x(curve.fault_high))"
          :height="HEIGHT - PAD.top - PAD.bottom"
        />
      </template>
      <g v-for="t in scales.y.ticks(4)" :key="`y${t}`">
        <line class="mesh" :x1="PAD.left" :x2="WIDTH - PAD.right" :y1="scales.y(t)" :y2="scales.y(t)" />
        <text :x="PAD.left - 6" :y="scales.y(t) + 4" text-anchor="end">{{ tick(t) }}</text>
      </g>
      <g v-for="t in scales.x.ticks(5)" :key="`x${t}`">
        <line class="mesh" :x1="scales.x(t)" :x2="scales.x(t)" :y1="PAD.top" :y2="HEIGHT - PAD.bottom" />
        <text :x="scales.x(t)" :y="HEIGHT - PAD.bottom + 14" text-anchor="middle">{{ tick(t) }}</text>
      </g>
      <path v-if="curve.straight.length" class="straight" :d="drawn(curve.straight)" />
      <path v-if="curve.device.length" class="beside" :d="drawn(curve.device)" />
      <path class="shows" :d="drawn(curve.shows)" />
      <circle
        v-if="loop !== null && value !== null"
        class="reading"
        :class="{ apart }"
        :cx="scales.x(loop)"
        :cy="scales.y(value)"
        r="5"
      />
    </svg>
    <p v-if="scales && curve" class="key small quiet">
      <span><span class="bar solid"></span> the list</span>
      <span v-if="curve.device.length"><span class="bar dashed"></span> the device</span>
      <span v-if="curve.straight.length"><span class="bar dotted"></span> straight line</span>
      <span v-if="curve.fault_low != null"><span class="block"></span> failed (NE 43)</span>
    </p>
    <p v-if="!scales" class="quiet none">
      {{ curve ? 'no scaling to draw yet' : 'two states, nothing to draw' }}
    </p>
  </section>
</template>

<style scoped>
.curve {
  padding: 7px 10px 4px;
}

h3 {
  margin: 0;
  font-size: 12px;
  font-weight: 400;
}

svg {
  display: block;
  width: 100%;
  max-height: 238px;
}

text {
  fill: rgb(var(--v-theme-quiet));
  font-family: var(--mono);
  font-size: 10px;
}

.mesh {
  stroke: rgb(var(--v-theme-line));
  stroke-dasharray: 2 3;
}

.shows,
.beside {
  fill: none;
  stroke-width: 2;
}

.shows {
  stroke: rgb(var(--v-theme-copper));
}

.beside {
  stroke: rgb(var(--v-theme-quiet));
  stroke-dasharray: 5 4;
  stroke-width: 1.5;
}

.straight {
  fill: none;
  stroke: rgb(var(--v-theme-quiet));
  stroke-dasharray: 1 4;
  stroke-linecap: round;
  stroke-width: 2;
}

.fault {
  fill: rgb(var(--v-theme-bad-wash));
}

.reading {
  fill: rgb(var(--v-theme-copper));
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 2;
}

.reading.apart {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-apart));
  stroke-dasharray: 3 2;
}

.key {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  font-size: 11px;
  white-space: nowrap;
  align-items: center;
  margin: 0;
}

.bar {
  display: inline-block;
  width: 20px;
  vertical-align: middle;
  border-top: 2px solid rgb(var(--v-theme-copper));
}

.bar.dashed {
  border-top: 2px dashed rgb(var(--v-theme-quiet));
}

.bar.dotted {
  border-top: 2px dotted rgb(var(--v-theme-quiet));
}

.block {
  display: inline-block;
  width: 10px;
  height: 10px;
  background: rgb(var(--v-theme-bad-wash));
  outline: 1px solid rgb(var(--v-theme-line));
}

.none {
  padding: 20px 0;
}
</style>
