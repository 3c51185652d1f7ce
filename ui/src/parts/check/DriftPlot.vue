<script setup lang="ts">
/** The largest error of each check that was signed at a point, day after day: how it was found, and how it was left. */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import PlotView from '../../plot/PlotView.vue'
import type { Line, Mark } from '../../plot/plotting'

const props = defineProps<{ records: readonly Schemas['RecordOut'][] }>()
const DAY_S = 86_400

const drawn = computed(() => {
  const checks = props.records
    .flatMap((r) => (r.worst == null ? [] : [{ t: Date.parse(r.at) / 1000, worst: r.worst, left: r.phase === 'as left' }]))
    .sort((a, b) => a.t - b.t) // prettier-ignore
  const x = checks.map((check) => check.t)
  // From what was left to what was found next: that is the drift.
  const lines: Line[] = [{ label: 'largest error', unit: '%', values: checks.map((c) => c.worst), colour: 'quiet', decimals: 3 }] // prettier-ignore
  const points = checks.map((c) => ({ x: c.t, y: c.worst, colour: 'copper' as const, hollow: c.left }))
  const tolerance = props.records.find((r) => r.tolerance != null)?.tolerance
  const marks: Mark[] = tolerance == null ? [] : [{ at: tolerance, text: `${tolerance} %`, colour: 'bad' }]
  const range: [number, number] = [(x[0] ?? 0) - DAY_S, (x.at(-1) ?? 0) + DAY_S]
  return { x, lines, points, marks, range }
})
</script>

<template>
  <section v-if="drawn.points.length > 1" class="drift">
    <h2 class="small quiet">largest error of each check, % of span · hollow: as left</h2>
    <PlotView v-bind="drawn" :height="130" label="drift from check to check" />
  </section>
</template>

<style scoped>
h2 {
  margin: 8px 0 0;
  font-weight: 400;
}
</style>
