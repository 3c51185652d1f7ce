<script setup lang="ts">
/**
 * A trend: the mean as a line, least and most as a band, a gap where there was no good value. It asks the server for the
 * past and goes on by itself with the readings that come.
 */
import { scaleLinear, scaleTime } from 'd3-scale'
import { area, curveLinear, curveStepAfter, line } from 'd3-shape'
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { whenLineIsBack } from '../../plant/lineBack'
import { formOf, staleAfter } from '../../plant/now'
import { usePlant } from '../../plant/store'
import { CARD_COLUMNS, MOST_RECENT, PART_LATER_MS, withGaps, type Sample } from '../../plant/trending'
import { figure } from '../../plant/words'

const props = withDefaults(
  defineProps<{
    point: number
    seconds: number
    height?: number
    bare?: boolean
    limits?: boolean
    /** The past as somebody else read it; then it asks for nothing itself. */
    fed?: Schemas['TrendOut'] | null
  }>(),
  { height: 190, bare: false, limits: true, fed: undefined },
)
const plant = usePlant()
const box = ref<HTMLElement | null>(null)
const width = ref(600)
const columns = computed(() => Math.max(40, Math.min(1200, Math.round(width.value))))
const past = shallowRef<Schemas['TrendOut'] | null>(null)
const recent = shallowRef<{ t: number; value: number }[]>([])
const trouble = ref('')
const until = ref(Date.now() / 1000)
const pad = computed(() =>
  props.bare ? { left: 0, right: 0, top: 2, bottom: 2 } : { left: 58, right: 10, top: 8, bottom: 20 },
)
let stop: (() => void) | undefined
let soon: ReturnType<typeof setTimeout> | undefined
let observer: ResizeObserver | undefined

const row = computed(() => (void plant.list.version, plant.list.row(props.point) ?? -1))
const form = computed(() => formOf(plant, row.value))
const rack = computed(() => plant.list.racks[row.value] ?? 0)

function take(trend: Schemas['TrendOut'] | null, ends: number) {
  past.value = trend
  until.value = ends
  const last = trend?.times.at(-1) ?? 0
  recent.value = recent.value.filter((r) => r.t > last)
}

async function read() {
  if (props.fed !== undefined) return take(props.fed, plant.live.time() / 1000)
  const answer = await ask(
    api.GET('/api/trends', {
      params: {
        query: {
          points: String(props.point),
          seconds: props.seconds,
          columns: columns.value,
        },
      },
    }),
  )
  trouble.value = answer.problem ? said(answer.problem) : ''
  if (answer.data) take(answer.data.trends[0] ?? null, answer.data.ends)
}

function heard(of: number) {
  if (of !== rack.value) return
  const reading = plant.live.at(props.point)
  if (!reading) return
  const t = reading.readAt / 1000
  const good = reading.quality === 'good' || reading.quality === 'doubtful'
  if (t <= (recent.value.at(-1)?.t ?? past.value?.times.at(-1) ?? 0)) return
  const stays = recent.value.filter((r) => r.t >= t - props.seconds)
  recent.value = [...stays, { t, value: good ? reading.value : Number.NaN }]
  until.value = t
  // A long range is drawn from what the server has drawn together.
  if (recent.value.length > MOST_RECENT && recent.value.length % 60 === 0) void read()
}

/** What is read a period apart, or drawn a column apart, is joined; what lies further apart is a gap. */
const longest = computed(() =>
  Math.max(
    1.5 * staleAfter(plant, rack.value),
    (2.5 * props.seconds) / (props.fed === undefined ? columns.value : CARD_COLUMNS),
  ),
)
const samples = computed(() => {
  const begins = until.value - props.seconds
  const of = past.value
  const out: Sample[] = (of?.times ?? []).map((t, i) => ({
    t,
    mean: of!.mean[i] ?? null,
    least: of!.least[i] ?? null,
    most: of!.most[i] ?? null,
  }))
  for (const { t, value } of recent.value) {
    const v = Number.isNaN(value) ? null : value
    out.push({ t, mean: v, least: v, most: v })
  }
  return withGaps(
    out.filter((s) => s.t >= begins),
    longest.value,
  )
})
const limits = computed(() => {
  if (!props.limits || props.bare) return []
  return ['ll', 'l', 'h', 'hh'].flatMap((level) => {
    const text = plant.list.text(`alarm_${level}`, row.value)
    return text ? [{ level, at: Number(text) }] : []
  })
})
const scales = computed(() => {
  const known = samples.value.filter((s) => s.least !== null)
  if (!known.length) return null
  let low = Math.min(...known.map((s) => s.least!))
  let high = Math.max(...known.map((s) => s.most!))
  if (form.value.contact) [low, high] = [0, 1]
  const room = Math.max((high - low) * 0.08, 10 ** -form.value.decimals)
  return {
    x: scaleTime(
      [(until.value - props.seconds) * 1000, until.value * 1000],
      [pad.value.left, width.value - pad.value.right],
    ),
    y: scaleLinear([low - room, high + room], [props.height - pad.value.bottom, pad.value.top]),
  }
})
const drawn = computed(() => {
  const at = scales.value
  if (!at) return { line: '', band: '' }
  const x = (s: Sample) => at.x(s.t * 1000)
  return {
    line:
      line<Sample>()
        .curve(form.value.contact ? curveStepAfter : curveLinear)
        .defined((s) => s.mean !== null)
        .x(x)
        .y((s) => at.y(s.mean!))(samples.value) ?? '',
    band:
      area<Sample>()
        .defined((s) => s.least !== null)
        .x(x)
        .y0((s) => at.y(s.least!))
        .y1((s) => at.y(s.most!))(samples.value) ?? '',
  }
})
const ticks = computed(() => {
  if (props.bare || !scales.value) return { x: [], y: [] }
  return {
    x: scales.value.x.ticks(Math.max(2, Math.floor(width.value / 130))),
    y: form.value.contact ? [0, 1] : scales.value.y.ticks(Math.max(2, Math.floor(props.height / 45))),
  }
})
/** A time at the edge is written inwards. */
const anchor = (at: Date) => {
  const x = scales.value?.x(at) ?? 0
  return x > width.value - 30 ? 'end' : x < 30 ? 'start' : 'middle'
}
const stamp = (at: Date) =>
  props.seconds > 2 * 86_400
    ? `${at.getMonth() + 1}-${String(at.getDate()).padStart(2, '0')} ${String(at.getHours()).padStart(2, '0')}h`
    : at.toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', second: props.seconds <= 600 ? '2-digit' : undefined, hour12: false }) // prettier-ignore
/** As many decimals as tell neighbouring marks apart, and never fewer than the point has. */
const markDecimals = computed(() => {
  const [one, next] = ticks.value.y
  const step = one === undefined || next === undefined ? 1 : Math.abs(next - one)
  return Math.max(form.value.decimals, Math.min(8, Math.ceil(-Math.log10(step) - 1e-9)))
})
const word = (value: number) =>
  form.value.contact
    ? value === 0 || value === 1
      ? plant.list.text(`text_${value}`, row.value) || String(value)
      : ''
    : figure(value, markDecimals.value)

/** Begin with what was heard already: what the agent has not written yet is no gap to somebody who was there. */
function begin() {
  past.value = null
  recent.value = plant.live.lately(rack.value, props.point)
  void read()
}

watch(() => [props.point, props.seconds], begin)
watch(() => props.fed, () => void read()) // prettier-ignore
watch(rack, (now) => now && plant.watch([now]), { immediate: true })
whenLineIsBack(plant, read)
onMounted(() => {
  observer = new ResizeObserver((entries) => (width.value = Math.max(60, entries[0]!.contentRect.width)))
  if (box.value) observer.observe(box.value)
  begin()
  stop = plant.live.onBlock(heard)
  soon = setTimeout(() => void read(), PART_LATER_MS)
})
onUnmounted(() => (observer?.disconnect(), stop?.(), clearTimeout(soon)))
</script>

<template>
  <div ref="box" class="trend" :style="{ height: `${height}px` }">
    <svg v-if="scales" :width="width" :height="height" role="img" :aria-label="`trend of ${seconds} seconds`">
      <g v-for="t in ticks.y" :key="`y${t}`">
        <line class="mesh" :x1="pad.left" :x2="width - pad.right" :y1="scales.y(t)" :y2="scales.y(t)" />
        <text :x="pad.left - 5" :y="scales.y(t) + 4" text-anchor="end">{{ word(t) }}</text>
      </g>
      <g v-for="t in ticks.x" :key="`x${t.getTime()}`">
        <line class="mesh" :x1="scales.x(t)" :x2="scales.x(t)" :y1="pad.top" :y2="height - pad.bottom" />
        <text :x="scales.x(t)" :y="height - 5" :text-anchor="anchor(t)">{{ stamp(t) }}</text>
      </g>
      <template v-for="limit in limits" :key="limit.level">
        <template v-if="scales.y(limit.at) > pad.top && scales.y(limit.at) < height - pad.bottom">
          <line
            class="limit"
            :x1="pad.left"
            :x2="width - pad.right"
            :y1="scales.y(limit.at)"
            :y2="scales.y(limit.at)"
          />
          <text class="limit" :x="width - pad.right - 3" :y="scales.y(limit.at) - 3" text-anchor="end">
            {{ limit.level.toUpperCase() }}
          </text>
        </template>
      </template>
      <path class="band" :d="drawn.band" />
      <path class="mean" :class="{ steps: form.contact }" :d="drawn.line" />
    </svg>
    <p v-else class="quiet small none">{{ trouble || (bare ? '' : 'no good value in this time') }}</p>
  </div>
</template>

<style scoped>
.trend {
  width: 100%;
  overflow: hidden;
}

svg {
  display: block;
}

text {
  fill: rgb(var(--v-theme-quiet));
  font-family: var(--mono);
  font-size: 10.5px;
}

.mesh {
  stroke: rgb(var(--v-theme-line));
  stroke-dasharray: 1 3;
}

.band {
  fill: rgb(var(--v-theme-copper));
  opacity: 0.22;
}

.mean {
  fill: none;
  stroke: rgb(var(--v-theme-copper));
  stroke-width: 1.6;
}

.limit {
  stroke: rgb(var(--v-theme-settle));
  stroke-dasharray: 6 3;
}

text.limit {
  stroke: none;
  fill: rgb(var(--v-theme-settle));
}

.none {
  margin: 0;
  padding: 8px;
}
</style>
