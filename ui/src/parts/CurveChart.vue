<script setup lang="ts">
/** Value over the wires: what the list shows, beside it what the device means, and where the reading lies. */
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import PlotView from '../plot/PlotView.vue'
import type { Line, Point, Span, Values } from '../plot/plotting'

const props = defineProps<{
  curve: Schemas['CurveOut'] | null
  loop: number | null
  value: number | null
  apart: boolean
}>()
/** How far beyond the failure limits the wires are shown. */
const BEYOND = 0.4

const at = computed(() => {
  const { curve } = props
  if (!curve) return null
  const places = curve.loop.flatMap((x, k) => (x === null ? [] : [k]))
  const x = places.map((k) => curve.loop[k]!)
  const of = (values: Values) => places.map((k) => values[k] ?? null)
  const some = (values: Values) => values.some((v) => v !== null)
  if (x.length < 2 || !some([...curve.shows, ...curve.device, ...curve.straight])) return null
  const line = (label: string, values: Values, more: Partial<Line>): Line => ({
    label, unit: curve.value_unit, values: of(values), colour: 'copper', decimals: 1, scale: 'value', ...more,
  }) // prettier-ignore
  const lines = [line('list', curve.shows, {})]
  if (some(curve.device))
    lines.push(line('device', curve.device, { colour: 'ink', dash: [5, 4], thick: 1.2 }))
  if (some(curve.straight))
    lines.push(line('straight', curve.straight, { colour: 'quiet', dash: [2, 3], thick: 1 }))
  const here = props.loop !== null ? [props.loop] : []
  const low = Math.min(...x, ...here, ...(curve.fault_low == null ? [] : [curve.fault_low - BEYOND]))
  const high = Math.max(...x, ...here, ...(curve.fault_high == null ? [] : [curve.fault_high + BEYOND]))
  const spans: Span[] = []
  if (curve.fault_low != null) spans.push({ from: low, to: curve.fault_low, colour: 'bad-wash' })
  if (curve.fault_high != null) spans.push({ from: curve.fault_high, to: high, colour: 'bad-wash' })
  const points: Point[] =
    props.loop !== null && props.value !== null
      ? [{ x: props.loop, y: props.value, colour: props.apart ? 'apart' : 'copper', hollow: props.apart }]
      : []
  return { x, lines, spans, points, range: [low, high] as [number, number] }
})
</script>

<template>
  <section class="panel curve">
    <h3 v-if="curve" class="quiet">
      {{ curve.value_unit || 'value' }} over {{ curve.loop_unit
      }}<template v-if="curve.fault_low != null"> · shaded: failed (NE 43)</template>
    </h3>
    <PlotView
      v-if="at && curve"
      v-bind="at"
      :unit="curve.loop_unit"
      :height="164"
      label="curve of the scaling"
    />
    <p v-else class="quiet none">
      {{ curve ? 'no scaling to draw yet' : 'two states, nothing to draw' }}
    </p>
  </section>
</template>

<style scoped>
.curve {
  padding: 7px 10px 4px;
  overflow: hidden;
}

h3 {
  margin: 0;
  font-size: 12px;
  font-weight: 400;
}

.none {
  margin: 12px 0;
}
</style>
