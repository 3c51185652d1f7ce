<script setup lang="ts">
/** A value now: figure, unit, and how far it can be trusted; stale is grey italic with its age. */
import { computed } from 'vue'
import { usePlant } from '../plant/store'
import { age, decimalsFor, figure } from '../plant/words'

const props = defineProps<{ point: number; row: number }>()
const plant = usePlant()
const MARKS = { good: '', doubtful: '▲', bad: '■', none: '' }

const shown = computed(() => {
  void plant.live.version
  void plant.list.version
  const reading = plant.live.at(props.point)
  if (!reading || Number.isNaN(reading.counts))
    return { text: '–', kind: 'none', mark: '', title: 'no reading' }
  const cell = (field: string) => plant.list.text(field, props.row)
  const words = [cell('text_0'), cell('text_1')]
  const family = plant.plant?.families[cell('signal')]
  const contact = family === 'contact'
  const unit = cell('value_unit') || (family === 'thermocouple' || family === 'resistance' ? '°C' : '')
  const decimals = cell('value_decimals')
    ? Number(cell('value_decimals'))
    : decimalsFor(cell('value_low'), cell('value_high'))
  let text = contact
    ? (words[reading.value] ?? '') || String(reading.value)
    : `${figure(reading.value, decimals)} ${unit}`.trim()
  if (Number.isNaN(reading.value)) text = 'no value'
  const seconds = plant.live.age(reading)
  const rack = plant.plant?.racks.find((r) => r.id === reading.rack)
  const stale = seconds > ((plant.plant?.stale_after_periods ?? 2) * (rack?.period_ms ?? 1000)) / 1000
  if (stale)
    return { text: `${text} · ${age(seconds)}`, kind: 'stale', mark: '', title: `read ${age(seconds)} ago` }
  const before = reading.seq < plant.list.seq ? ', worked out before the last change' : ''
  return {
    text,
    kind: reading.injected ? 'injected' : reading.quality,
    mark: reading.injected ? '◇' : MARKS[reading.quality],
    title: `${figure(reading.counts, reading.counts % 1 ? 3 : 0)} counts${before}${reading.injected ? ', injected' : ''}`,
  }
})
</script>

<template>
  <span class="now figure" :class="shown.kind" :title="shown.title"
    ><span v-if="shown.mark" class="mark" aria-hidden="true">{{ shown.mark }}</span
    >{{ shown.text }}</span
  >
</template>

<style scoped>
.now {
  white-space: nowrap;
}

.mark {
  margin-right: 4px;
}

.doubtful {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
  font-weight: 600;
}

.injected {
  color: rgb(var(--v-theme-apart));
  border-bottom: 1px dashed rgb(var(--v-theme-apart));
}

.none,
.stale {
  color: rgb(var(--v-theme-quiet));
}

.stale {
  font-style: italic;
}
</style>
