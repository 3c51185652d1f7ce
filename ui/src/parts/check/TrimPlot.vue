<script setup lang="ts">
/** The error of the value over the whole span, by the data sheet's pair and by the found one. */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import PlotView from '../../plot/PlotView.vue'
import type { Line } from '../../plot/plotting'

const props = defineProps<{ outcome: Schemas['TrimmedOut'] }>()
const drawn = computed(() => {
  const { outcome } = props
  // Less than a hundredth of a percent is drawn as nothing, which it is.
  const most = 1.2 * Math.max(outcome.worst_before ?? 0, outcome.worst_after ?? 0, 0.01)
  const line = (label: string, values: (number | null)[], colour: Line['colour'], dash?: number[]): Line => ({
    label, unit: '%', values, colour, decimals: 3, scale: 'error', fixed: [-most, most], ...(dash ? { dash } : {}),
  }) // prettier-ignore
  return [line('now', outcome.before, 'quiet', [5, 4]), line('with the found pair', outcome.after, 'copper')]
})
</script>

<template>
  <figure>
    <figcaption class="quiet small">error of the value over the span, % of span · dashed: now</figcaption>
    <PlotView :x="outcome.shares" unit="%" :lines="drawn" :height="150" label="error before and after" />
  </figure>
</template>

<style scoped>
figure {
  margin: 8px 0;
}
</style>
