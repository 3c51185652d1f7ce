<script setup lang="ts">
/** What a check found: the error at each share of the range, upwards and downwards, between its limits. */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import PlotView from '../../plot/PlotView.vue'
import { onOneAxis, type Line, type Mark } from '../../plot/plotting'

const props = defineProps<{
  steps: readonly Schemas['StepOut'][]
  outcome: Schemas['OutcomeOut']
}>()
/** The limits stand a fifth of the height away from the edges, and errors beyond them are drawn as well. */
const ROOM = 1.25

const drawn = computed(() => {
  const { steps, outcome } = props
  const ways = [...new Set(steps.map((step) => step.way))]
  const read = ways.map((way) =>
    steps.flatMap((step, k) => {
      const error = outcome.steps[k]?.of_span
      return step.way === way && error != null ? [{ x: step.share, error }] : []
    }),
  )
  const { x, columns } = onOneAxis(
    read.map((some) => {
      const inOrder = [...some].sort((a, b) => a.x - b.x)
      return { times: inOrder.map((one) => one.x), columns: [inOrder.map((one) => one.error)] }
    }),
  )
  // Where nothing may be off and nothing is, the plot is a percent high all the same.
  const most = ROOM * Math.max(outcome.tolerance, ...read.flat().map((one) => Math.abs(one.error))) || 1
  const lines = ways.map((way, k): Line => ({
    label: way || 'error', unit: '%', values: columns[k]?.[0] ?? [], colour: k ? 'ink' : 'copper',
    decimals: 3, scale: 'error', fixed: [-most, most], ...(k ? { dash: [5, 4] } : {}),
  })) // prettier-ignore
  const marks: Mark[] = [
    { at: outcome.tolerance, text: `+${outcome.tolerance} %`, colour: 'bad' },
    { at: -outcome.tolerance, text: `\u2212${outcome.tolerance} %`, colour: 'bad' },
  ]
  const points = read.flatMap((some, k) =>
    some.map(({ x, error }) => ({
      x,
      y: error,
      colour: k ? ('ink' as const) : ('copper' as const),
      hollow: k > 0,
    })),
  )
  return { x, lines, marks, points }
})
</script>

<template>
  <section v-if="drawn.x.length > 1" class="errors">
    <h2 class="quiet small">error, % of span, over % of the range</h2>
    <PlotView v-bind="drawn" unit="%" :range="[0, 100]" :height="150" label="errors of the check" />
  </section>
</template>

<style scoped>
h2 {
  margin: 8px 0 0;
  font-weight: 400;
}
</style>
