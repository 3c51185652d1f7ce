<script setup lang="ts">
/**
 * A plot: lines over time or over a quantity, each with its own scale if it has another unit; least and most as a band,
 * limits, spans and single readings marked. Zoom by dragging or + and −, move by the arrows with Shift, read by the
 * pointer or the arrows, all again by Home. What is drawn goes out as a picture or as CSV.
 */
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { computed, markRaw, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useResizeObserver } from '@vueuse/core'
import { faint, useColours, type Colour } from '../theme/colours'
import { figure } from '../plant/words'
import { csvOf, summary, timeMarks, type Line, type Mark, type Point, type Span } from './plotting'

const props = withDefaults(
  defineProps<{
    x: readonly number[]
    /** Unit of x; '' for time (s since 1970). */
    unit?: string
    lines: readonly Line[]
    marks?: readonly Mark[]
    spans?: readonly Span[]
    points?: readonly Point[]
    height?: number
    /** From where to where x goes, if not as far as there is something. */
    range?: readonly [number, number] | null
    label: string
    tools?: boolean
  }>(),
  {
    unit: '',
    marks: () => [],
    spans: () => [],
    points: () => [],
    height: 190,
    range: null,
    tools: true,
  },
)
const colours = useColours()
const box = ref<HTMLElement | null>(null)
const colour = (name: Colour, opacity = 1) =>
  opacity === 1 ? colours.value[name] : faint(colours.value[name], opacity)
/** What the library calls the scale from left to right. */
const ACROSS = 'x'
let plot: uPlot | undefined
const zoomed = ref(false)
const at = ref<number | null>(null)

const scaleOf = (line: Line) => line.scale ?? (line.unit || 'y')
const data = computed<uPlot.AlignedData>(
  () =>
    [
      props.x,
      ...props.lines.flatMap((line) => (line.low ? [line.values, line.low, line.high!] : [line.values])),
    ] as never,
)
/** What a plot must be made anew for; the rest is put into the one that is there. */
const shape = computed(() =>
  JSON.stringify([
    props.unit,
    props.height,
    props.lines.map((l) => [l.label, l.unit, l.colour, l.dash, l.steps, !!l.low]),
    colours.value.surface,
  ]),
)

const FONT = '10.5px "IBM Plex Mono", monospace'
function options(width: number): uPlot.Options {
  const series: uPlot.Series[] = [{}]
  const bands: uPlot.Band[] = []
  const scales: uPlot.Scales = { [ACROSS]: { time: !props.unit } }
  const axes: uPlot.Axis[] = [
    axis({
      size: 22,
      space: 70,
      values: (_: uPlot, splits: number[]) => (props.unit ? quantities(splits) : timeMarks(splits)),
    }),
  ]
  for (const line of props.lines) {
    const scale = scaleOf(line)
    series.push({
      label: line.label,
      scale,
      stroke: colour(line.colour),
      width: line.thick ?? 1.6,
      // A slope of few pixels is no staircase.
      pxAlign: 0,
      points: { show: false },
      ...(line.dash ? { dash: line.dash } : {}),
      ...(line.steps ? { paths: uPlot.paths.stepped!({ align: 1 }) } : {}),
    })
    if (line.low) {
      const at = series.length
      series.push({ scale, width: 0, points: { show: false } }, { scale, width: 0, points: { show: false } })
      bands.push({ series: [at + 1, at], fill: colour(line.colour, 0.22) })
    }
    if (scale in scales) continue
    scales[scale] = line.fixed ? { range: [...line.fixed] } : {}
    const first = Object.keys(scales).length === 2
    axes.push(
      axis({
        scale,
        size: 58,
        side: first ? 3 : 1,
        ...(first ? {} : { grid: { show: false } }),
        values: (_: uPlot, splits: number[]) => splits.map((v) => line.word?.(v) ?? figure(v, decimalsOf(splits, line.decimals))),
      }),
    ) // prettier-ignore
  }
  return {
    width, height: props.height, series, scales, axes, bands,
    legend: { show: false },
    cursor: { drag: { x: true, y: false, uni: 8 }, points: { size: 6 } },
    padding: [8, 26, 0, 0],
    hooks: {
      drawClear: [under],
      draw: [over],
      setCursor: [(u) => (at.value = u.cursor.idx ?? null)],
      setScale: [
        (u, key) => {
          if (key !== ACROSS) return
          const [first, last] = whole()
          zoomed.value = (u.scales[ACROSS]!.min ?? first) > first || (u.scales[ACROSS]!.max ?? last) < last
        },
      ],
    },
  } // prettier-ignore
}

function axis(more: uPlot.Axis): uPlot.Axis {
  return {
    stroke: colour('quiet'),
    font: FONT,
    grid: { stroke: colour('line'), width: 1, dash: [1, 3] },
    ticks: { show: false },
    gap: 4,
    ...more,
  }
}

/** As many decimals as tell neighbouring marks apart, and never fewer than the line has. */
function decimalsOf(splits: number[], least = 0): number {
  const step = Math.abs((splits[1] ?? 1) - (splits[0] ?? 0)) || 1
  return Math.max(least, Math.min(8, Math.ceil(-Math.log10(step) - 1e-9)))
}

const quantities = (splits: number[]) => splits.map((v) => figure(v, decimalsOf(splits)))

function whole(): [number, number] {
  if (props.range) return [...props.range]
  return [props.x[0] ?? 0, props.x.at(-1) ?? 1]
}

/** Spans behind the lines: where a signal says failed, where an alarm stood. */
function under(u: uPlot) {
  for (const span of props.spans) {
    const from = Math.max(u.bbox.left, u.valToPos(span.from, ACROSS, true))
    const to = Math.min(u.bbox.left + u.bbox.width, u.valToPos(span.to, ACROSS, true))
    if (to <= from) continue
    u.ctx.fillStyle = colour(span.colour)
    u.ctx.fillRect(from, u.bbox.top, to - from, u.bbox.height)
  }
}

function over(u: uPlot) {
  const { ctx, bbox } = u
  ctx.save()
  ctx.lineWidth = devicePixelRatio
  ctx.font = `${10.5 * devicePixelRatio}px "IBM Plex Mono", monospace`
  ctx.textBaseline = 'bottom'
  const scale = props.lines[0] ? scaleOf(props.lines[0]) : 'y'
  for (const mark of props.marks) {
    const y = u.valToPos(mark.at, mark.scale ?? scale, true)
    if (y < bbox.top || y > bbox.top + bbox.height) continue
    ctx.strokeStyle = ctx.fillStyle = colour(mark.colour ?? 'settle')
    ctx.setLineDash([6, 3])
    ctx.beginPath()
    ctx.moveTo(bbox.left, y)
    ctx.lineTo(bbox.left + bbox.width, y)
    ctx.stroke()
    ctx.textAlign = 'right'
    ctx.fillText(mark.text, bbox.left + bbox.width - 3, y - 3)
  }
  ctx.setLineDash([])
  for (const point of props.points) {
    const x = u.valToPos(point.x, ACROSS, true)
    const y = u.valToPos(point.y, scale, true)
    ctx.fillStyle = ctx.strokeStyle = colour(point.colour)
    ctx.lineWidth = 2 * devicePixelRatio
    ctx.beginPath()
    ctx.arc(x, y, 5 * devicePixelRatio, 0, 2 * Math.PI)
    if (point.hollow) ctx.stroke()
    else ctx.fill()
  }
  ctx.restore()
}

function make() {
  plot?.destroy()
  plot = undefined
  const element = box.value
  // Without a canvas there is nothing to draw on; what it says stands beside it.
  if (!element || !props.x.length || !document.createElement('canvas').getContext('2d')) return
  plot = markRaw(new uPlot(options(element.clientWidth || 600), data.value, element))
  fit()
}

function fit() {
  const [min, max] = whole()
  plot?.setScale(ACROSS, { min, max })
}

function zoom(by: number, to = 0.5) {
  if (!plot) return
  const { min = 0, max = 1 } = plot.scales[ACROSS]! as { min: number; max: number }
  const [first, last] = whole()
  const middle = min + (max - min) * to
  plot.setScale(ACROSS, {
    min: Math.max(first, middle - (middle - min) * by),
    max: Math.min(last, middle + (max - middle) * by),
  })
}

function pan(by: number) {
  if (!plot) return
  const { min = 0, max = 1 } = plot.scales[ACROSS]! as { min: number; max: number }
  const [first, last] = whole()
  const step = Math.min(Math.max(by * (max - min), first - min), last - max)
  plot.setScale(ACROSS, { min: min + step, max: max + step })
}

function step(by: number) {
  if (!plot) return
  const next = Math.min(Math.max((at.value ?? props.x.length - 1) + by, 0), props.x.length - 1)
  plot.setCursor({ left: plot.valToPos(props.x[next]!, ACROSS), top: props.height / 2 })
}

function key(event: KeyboardEvent) {
  const far = event.ctrlKey ? 10 : 1
  const ways: Record<string, () => void> = {
    '+': () => zoom(0.5),
    '-': () => zoom(2),
    Home: fit,
    ArrowLeft: () => (event.shiftKey ? pan(-0.25) : step(-far)),
    ArrowRight: () => (event.shiftKey ? pan(0.25) : step(far)),
    c: () => save('csv'),
    p: () => save('png'),
  }
  const way = ways[event.key]
  if (!way || event.altKey || (event.ctrlKey && !event.key.startsWith('Arrow'))) return
  event.preventDefault()
  way()
}

function wheel(event: WheelEvent) {
  if (!event.ctrlKey && !event.shiftKey) return
  event.preventDefault()
  if (event.shiftKey) return pan(Math.sign(event.deltaY || event.deltaX) * 0.1)
  const { left, width } = box.value!.getBoundingClientRect()
  zoom(event.deltaY > 0 ? 1.25 : 0.8, (event.clientX - left) / width)
}

function save(form: 'csv' | 'png') {
  const name = props.label.replace(/[^\p{L}\p{N}-]+/gu, ' ').trim() || 'plot'
  const link = document.createElement('a')
  link.download = `${name}.${form}`
  if (form === 'csv')
    link.href = URL.createObjectURL(new Blob([csvOf(props.x, props.unit, props.lines)], { type: 'text/csv' }))
  else {
    if (!plot) return
    // On its own ground: a picture is looked at anywhere.
    const picture = document.createElement('canvas')
    picture.width = plot.ctx.canvas.width
    picture.height = plot.ctx.canvas.height
    const on = picture.getContext('2d')!
    on.fillStyle = colour('surface')
    on.fillRect(0, 0, picture.width, picture.height)
    on.drawImage(plot.ctx.canvas, 0, 0)
    link.href = picture.toDataURL('image/png')
  }
  link.click()
}

onMounted(make)
onBeforeUnmount(() => plot?.destroy())
watch(shape, make)
watch([data, () => props.range, () => props.marks, () => props.points], () => {
  if (!plot) return make()
  // Who has zoomed in stays where he looks.
  plot.setData(data.value, false)
  if (!zoomed.value) fit()
  else plot.redraw()
})
useResizeObserver(box, ([entry]) => {
  const width = Math.round(entry!.contentRect.width)
  if (plot && width > 0 && width !== plot.width) plot.setSize({ width, height: props.height })
})

const stamp = (t: number) => new Date(t * 1000).toLocaleString([], { hour12: false })
/** What stands at the cursor, or the newest. */
const readings = computed(() => {
  const index = at.value ?? props.x.length - 1
  const x = props.x[index]
  if (x === undefined) return null
  return {
    where: props.unit ? `${figure(x, 3)} ${props.unit}` : stamp(x),
    values: props.lines.map((line) => {
      const value = line.values[index]
      const text = value == null ? '–' : (line.word?.(value) || figure(value, line.decimals ?? 1))
      return { label: line.label, colour: line.colour, dash: !!line.dash, text: `${text} ${line.unit}`.trim() }
    }),
  } // prettier-ignore
})
defineExpose({ save, zoom, fit })
</script>

<template>
  <figure class="plot">
    <div
      ref="box"
      class="drawn"
      role="img"
      tabindex="0"
      :aria-label="`${label}: ${summary(lines)}`"
      aria-description="+ and − zoom, Shift with arrows moves, arrows read, Home shows all, c saves CSV, p a picture"
      :style="{ height: `${height}px` }"
      @keydown="key"
      @wheel="wheel"
      @dblclick="fit"
    />
    <figcaption v-if="tools" class="told small">
      <span v-if="readings" class="quiet figure">{{ readings.where }}</span>
      <span v-for="one in readings?.values" :key="one.label"
        ><i class="key" :class="{ dash: one.dash }" :style="{ borderColor: colour(one.colour) }" />{{
          one.label
        }}
        <b class="figure">{{ one.text }}</b></span
      >
      <span class="gap" />
      <v-btn v-if="zoomed" class="mini" @click="fit">all (Home)</v-btn>
      <v-btn v-tip="'as a picture: p'" class="mini" @click="save('png')">PNG</v-btn>
      <v-btn v-tip="'its figures: c'" class="mini" @click="save('csv')">CSV</v-btn>
    </figcaption>
  </figure>
</template>

<style scoped>
.plot {
  min-width: 0;
  margin: 0;
}

.drawn {
  overflow: hidden;
}

.told {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: baseline;
}

.told .gap {
  flex: 1;
}

.key {
  display: inline-block;
  width: 14px;
  margin-right: 4px;
  border-top: 2px solid;
  vertical-align: middle;
}

.key.dash {
  border-top-style: dashed;
}

.drawn :deep(.u-select) {
  background: rgb(var(--v-theme-copper));
  opacity: 0.18;
}

.drawn :deep(.u-cursor-x),
.drawn :deep(.u-cursor-y) {
  border-color: rgb(var(--v-theme-quiet));
}
</style>
