<script setup lang="ts">
/** The error of each check that was signed at a point, the straight line through them with its band, and when that leaves the
 * tolerance. */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import PlotView from '../../plot/PlotView.vue'
import { onOneAxis, type Line, type Mark } from '../../plot/plotting'

const props = defineProps<{ drift: Schemas['DriftOut'] }>()

const drawn = computed(() => {
  const { at, errors, begins, days, line, low, high, tolerance } = props.drift
  const { x, columns } = onOneAxis([
    { times: days, columns: [line, low, high] },
    { times: at, columns: [errors] },
  ])
  const [level, below, above] = columns[0]!
  const shared = { unit: '%', scale: 'error', decimals: 3 }
  const banded = low.some((one) => one !== null) ? { low: below!, high: above! } : {}
  const lines: Line[] = [
    { label: 'error of each check', values: columns[1]![0]!, colour: 'copper', thick: 0, ...shared },
  ]
  if (days.length)
    lines.push({ label: 'line through them', values: level!, colour: 'quiet', ...banded, ...shared })
  const points = at.map((t, k) => ({ x: t, y: errors[k]!, colour: 'copper' as const, hollow: begins[k]! }))
  const marks: Mark[] = [tolerance, -tolerance].map((limit) => ({
    at: limit, scale: 'error', text: `${limit > 0 ? '+' : '\u2212'}${tolerance} %`, colour: 'bad' as const,
  })) // prettier-ignore
  return { x, lines, points, marks }
})
</script>

<template>
  <section v-if="drift.at.length > 1" class="drift">
    <h2 class="small quiet">
      error of each check, % of span · hollow: a stretch begins, adjusted or trimmed
    </h2>
    <PlotView v-bind="drawn" :height="150" label="drift from check to check" />
    <p
      v-if="drift.says"
      class="small"
      :class="{ settle: drift.leaves_at === null && drift.by_line !== null }"
    >
      {{ drift.says }}
    </p>
  </section>
</template>

<style scoped>
h2 {
  margin: 8px 0 0;
  font-size: 12px;
  font-weight: 400;
}

p {
  margin: 2px 0;
}

.settle {
  color: rgb(var(--v-theme-settle));
}
</style>
