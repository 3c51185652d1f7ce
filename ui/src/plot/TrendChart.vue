<script setup lang="ts">
/**
 * The trend of a point, and of others beside it on the same times, each with its own scale: the mean as a line, least
 * and most as a band, limits, and where its alarm stood.
 */
import { computed, ref } from 'vue'
import { useElementSize } from '@vueuse/core'
import { usePlant } from '../plant/store'
import TagField from '../kit/TagField.vue'
import PlotView from './PlotView.vue'
import TrendBeside from './TrendBeside.vue'
import { onOneAxis, type Line } from './plotting'
import { useAlarmSpans } from './alarmSpans'
import { useTrend } from './useTrend'
import type { Sample } from '../plant/trending'

const props = withDefaults(
  defineProps<{ point: number; seconds: number; height?: number; beside?: boolean }>(),
  { height: 190, beside: false },
)
const plant = usePlant()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const columns = computed(() => Math.max(40, Math.min(1200, Math.round(width.value || 600))))
const own = useTrend({ point: () => props.point, seconds: () => props.seconds, columns: () => columns.value })
const COLOURS = ['copper', 'apart', 'ink', 'settle'] as const
const others = ref<number[]>([])
const theirs = ref(new Map<number, { samples: Sample[]; form: (typeof own)['form']['value'] }>())
const tag = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)

const all = computed(() => [
  { point: props.point, samples: own.samples.value, form: own.form.value },
  ...others.value.flatMap((point) => {
    const one = theirs.value.get(point)
    return one ? [{ point, ...one }] : []
  }),
])
const drawn = computed(() => {
  const { x, columns } = onOneAxis(
    all.value.map(({ samples }) => ({
      times: samples.map((s) => s.t),
      columns: [samples.map((s) => s.mean), samples.map((s) => s.least), samples.map((s) => s.most)],
    })),
  )
  const lines = all.value.map(({ point, form }, k): Line => {
    const [values, low, high] = columns[k]!
    const row = plant.list.row(point) ?? -1
    const word = (v: number) => (v === 0 || v === 1 ? plant.list.text(`text_${v}`, row) || String(v) : '')
    return {
      label: tag(point) || 'value',
      unit: form.contact ? '' : form.unit,
      scale: `${point}`,
      values: values!, low: low!, high: high!, colour: COLOURS[k]!, decimals: form.decimals,
      ...(form.contact ? { steps: true, fixed: [-0.1, 1.1] as const, word } : {}),
    } // prettier-ignore
  })
  return { x, lines }
})
const stood = useAlarmSpans(() => props.point, () => own.until.value) // prettier-ignore
const range = computed<[number, number]>(() => [own.until.value - props.seconds, own.until.value])

function add(point: number) {
  if (point !== props.point && !others.value.includes(point))
    others.value = [...others.value, point].slice(-3)
}
function drop(point: number) {
  others.value = others.value.filter((one) => one !== point)
  theirs.value.delete(point)
}
</script>

<template>
  <div ref="box" class="trend">
    <PlotView
      v-if="own.samples.value.length"
      :x="drawn.x"
      :lines="drawn.lines"
      :marks="own.limits.value"
      :spans="stood()"
      :range="range"
      :height="height"
      :label="`trend of ${tag(point)}, ${seconds} s`"
    />
    <p v-else class="quiet small none">{{ own.trouble.value || 'no good value in this time' }}</p>
    <TrendBeside
      v-for="other in others"
      :key="other"
      :point="other"
      :seconds="seconds"
      :columns="columns"
      @read="theirs = new Map(theirs).set(other, $event)"
    />
    <p v-if="beside" class="small beside">
      <TagField label="beside it" @picked="add" />
      <v-btn v-for="other in others" :key="other" class="chip" @click="drop(other)">{{ tag(other) }} ✕</v-btn>
    </p>
  </div>
</template>

<style scoped>
.trend {
  width: 100%;
}

.none {
  margin: 0;
  padding: 8px;
}

.beside {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 4px 0 0;
}
</style>
