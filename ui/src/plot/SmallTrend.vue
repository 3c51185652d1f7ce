<script setup lang="ts">
/** A trend as small as a line of text, for a board of many: a bare canvas, the band of least and most, the mean. */
import { computed, ref, watch } from 'vue'
import { useDevicePixelRatio, useElementSize } from '@vueuse/core'
import { useColours } from '../theme/colours'
import type { Schemas } from '../api/client'
import { useTrend } from './useTrend'

const props = withDefaults(
  defineProps<{
    point: number
    seconds: number
    height?: number
    fed?: Schemas['TrendOut'] | null
    /** Nobody sees it now: nothing is drawn. */
    rests?: boolean
  }>(),
  { height: 34, fed: undefined, rests: false },
)
const canvas = ref<HTMLCanvasElement | null>(null)
const { width } = useElementSize(canvas)
const { pixelRatio } = useDevicePixelRatio()
const colours = useColours()
const { samples, until, form } = useTrend({
  point: () => props.point,
  seconds: () => props.seconds,
  columns: () => Math.max(40, Math.min(400, Math.round(width.value))),
  fed: () => props.fed,
})
const size = computed(() => ({
  width: Math.round((width.value || 150) * pixelRatio.value),
  height: Math.round(props.height * pixelRatio.value),
}))

function draw() {
  const on = props.rests ? null : canvas.value?.getContext('2d')
  if (!on) return
  const { width: wide, height: high } = size.value
  on.clearRect(0, 0, wide, high)
  const known = samples.value.filter((s) => s.least !== null)
  if (!known.length) return
  let low = form.value.contact ? 0 : Infinity
  let top = form.value.contact ? 1 : -Infinity
  for (const s of known) {
    low = Math.min(low, s.least!)
    top = Math.max(top, s.most!)
  }
  const room = Math.max((top - low) * 0.08, 10 ** -form.value.decimals)
  const x = (t: number) => ((t - until.value + props.seconds) / props.seconds) * wide
  const y = (v: number) => high - 2 - ((v - low + room) / (top - low + 2 * room)) * (high - 4)
  on.strokeStyle = on.fillStyle = colours.value.copper
  // From gap to gap: a line across one would say what nobody has read.
  let from = 0
  for (let k = 0; k <= samples.value.length; k++) {
    if (samples.value[k] && samples.value[k]!.mean !== null) continue
    const run = samples.value.slice(from, k)
    from = k + 1
    if (!run.length) continue
    on.globalAlpha = 0.22
    on.beginPath()
    for (const s of run) on.lineTo(x(s.t), y(s.most!))
    for (const s of [...run].reverse()) on.lineTo(x(s.t), y(s.least!))
    on.fill()
    on.globalAlpha = 1
    on.lineWidth = 1.4 * pixelRatio.value
    on.beginPath()
    run.forEach((s, k) => {
      if (form.value.contact && k) on.lineTo(x(s.t), y(run[k - 1]!.mean!))
      on.lineTo(x(s.t), y(s.mean!))
    })
    on.stroke()
  }
}
watch(() => (props.rests ? null : [samples.value, until.value, size.value, colours.value]), draw, {
  flush: 'post',
})
</script>

<template>
  <canvas
    ref="canvas"
    class="small-trend"
    aria-hidden="true"
    :width="size.width"
    :height="size.height"
    :style="{ height: `${height}px` }"
  />
</template>

<style scoped>
.small-trend {
  display: block;
  width: 100%;
}
</style>
