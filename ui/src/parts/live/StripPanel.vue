<script setup lang="ts">
/**
 * A timing strip: a pulse train above, what the point's delays make of it below. The edges of the train are dragged to
 * try another one, the handles of the delays to try other settings; nothing is set until it is taken.
 */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'

const props = defineProps<{ point: number; contact: boolean }>()
const plant = usePlant()
const WIDTH = 560
const HIGH = 40
const ends = ref(3)
const edges = ref<number[]>([0.4, 0.58, 1.0, 1.9, 2.1, 2.2])
const tried = ref<Record<string, string>>({})
const strip = shallowRef<Schemas['StripOut'] | null>(null)
const wrong = ref('')
const svg = ref<SVGSVGElement | null>(null)
const dragged = ref<{ edge: number } | { field: string; from: number } | null>(null)
const FIELDS: [string, string, string][] = props.contact
  ? [['on_delay', 'on after', 'ms'], ['off_delay', 'off after', 'ms'], ['stretch', 'at least on', 'ms']]
  : [['smoothing_s', 'smoothing', 's'], ['on_at', 'on from', ''], ['off_at', 'off below', '']] // prettier-ignore

const row = computed(() => (void plant.list.version, plant.list.row(props.point) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const now = (field: string) => tried.value[field] ?? text(field)
const x = (t: number) => (t / ends.value) * WIDTH
const low = computed(() => (props.contact ? 0 : Number(text('value_low')) || 0))
const high = computed(() => (props.contact ? 1 : Number(text('value_high')) || 100))

async function draw() {
  const given: [number, number][] = [[0, low.value]]
  edges.value.forEach((t, i) => given.push([t, i % 2 === 0 ? high.value : low.value]))
  const answer = await ask(
    api.POST('/api/points/{point}/strip', {
      params: { path: { point: props.point } },
      body: { given, ends_s: ends.value, cells: tried.value },
    }),
  )
  wrong.value = answer.problem?.title ?? ''
  if (answer.data) strip.value = answer.data
}

/** A square line of two states. */
function square(values: number[], top: number): string {
  const times = strip.value?.times ?? []
  if (!values.length) return ''
  let out = ''
  values.forEach((v, i) => {
    const y = top + (v > 0 ? 4 : HIGH - 6)
    if (i === 0) out = `M0 ${y}`
    else if (v !== values[i - 1]) out += `H${x(times[i]!)}V${y}`
  })
  return `${out}H${WIDTH}`
}
const given = computed(() =>
  square(
    (strip.value?.given ?? []).map((v) => (v > low.value ? 1 : 0)),
    0,
  ),
)
const made = computed(() =>
  square(
    (strip.value?.state ?? []).map((v) => Math.max(0, v)),
    HIGH + 14,
  ),
)
const value = computed(() => {
  const times = strip.value?.times ?? []
  const span = high.value - low.value || 1
  return (strip.value?.value ?? [])
    .map(
      (v, i) =>
        `${i ? 'L' : 'M'}${x(times[i]!)} ${HIGH + 10 + (1 - ((v ?? low.value) - low.value) / span) * HIGH}`,
    )
    .join('')
})
/** A handle a delay: from the edge it belongs to, as far as the delay lasts. */
const handles = computed(() =>
  FIELDS.filter(([, , unit]) => unit === 'ms').map(([field, says], i) => {
    const from = i === 1 ? (edges.value[3] ?? 0) : (edges.value[2] ?? 0)
    return { field, says, from, to: from + (Number(now(field)) || 0) / 1000, y: HIGH * 2 + 26 + i * 16 }
  }),
)

function timeAt(event: PointerEvent): number {
  const box = svg.value!.getBoundingClientRect()
  return Math.max(0, Math.min(ends.value, ((event.clientX - box.left) / box.width) * ends.value))
}

function move(event: PointerEvent) {
  const what = dragged.value
  if (!what) return
  const t = Math.round(timeAt(event) * 100) / 100
  if ('edge' in what) {
    const before = edges.value[what.edge - 1] ?? 0.02
    const after = edges.value[what.edge + 1] ?? ends.value
    edges.value = edges.value.map((e, i) => (i === what.edge ? Math.min(after, Math.max(before, t)) : e))
  } else
    tried.value = { ...tried.value, [what.field]: String(Math.max(0, Math.round((t - what.from) * 1000))) }
}

function nudge(field: string, event: KeyboardEvent) {
  const by = event.key === 'ArrowRight' ? 10 : event.key === 'ArrowLeft' ? -10 : 0
  if (!by) return
  event.preventDefault()
  tried.value = { ...tried.value, [field]: String(Math.max(0, (Number(now(field)) || 0) + by)) }
}

async function take() {
  const edits = Object.entries(tried.value).map(([field, to]) => ({
    point: props.point,
    field,
    was: text(field),
    text: to,
  }))
  if (await plant.save(edits)) return
  tried.value = {}
  plant.say('set from the next reading on · Ctrl+Z takes it back')
}

watch([edges, tried, ends], () => void draw(), { deep: true })
onMounted(draw)
</script>

<template>
  <section class="panel side strip">
    <svg
      ref="svg"
      :viewBox="`0 0 ${WIDTH} ${HIGH * 2 + (contact ? 76 : 24)}`"
      @pointermove="move"
      @pointerup="dragged = null"
      @pointerleave="dragged = null"
    >
      <path class="given" :d="given" />
      <path v-if="!contact" class="value" :d="value" />
      <path class="made" :d="made" />
      <circle
        v-for="(t, i) in edges"
        :key="i"
        class="grip"
        :cx="x(t)"
        :cy="HIGH / 2"
        r="6"
        @pointerdown.prevent="dragged = { edge: i }"
      />
      <g v-for="h in contact ? handles : []" :key="h.field">
        <line class="delay" :x1="x(h.from)" :x2="x(h.to)" :y1="h.y" :y2="h.y" />
        <rect
          class="grip"
          :x="x(h.to) - 4"
          :y="h.y - 6"
          width="8"
          height="12"
          tabindex="0"
          role="slider"
          :aria-label="h.says"
          :aria-valuenow="Number(now(h.field)) || 0"
          @pointerdown.prevent="dragged = { field: h.field, from: h.from }"
          @keydown="nudge(h.field, $event)"
        />
        <text :x="Math.min(x(h.to) + 9, WIDTH - 130)" :y="h.y + 4">
          {{ h.says }} {{ now(h.field) || 0 }} ms
        </text>
      </g>
    </svg>
    <p class="quiet small">
      above what comes in, below what is made of it; drag edges and handles. The rack is looked at every
      {{ ((strip?.period_s ?? 1) * 1000).toFixed(0) }} ms: what is shorter may be missed.
    </p>
    <div class="keys">
      <label v-for="[field, says, unit] in FIELDS" :key="field"
        >{{ says }}
        <input
          class="figure"
          size="5"
          :value="now(field)"
          @change="tried = { ...tried, [field]: ($event.target as HTMLInputElement).value }"
        />
        {{ unit }}</label
      >
      <label>over <input v-model.number="ends" type="number" min="0.5" max="600" step="0.5" /> s</label>
      <button
        v-if="plant.may('edit')"
        class="act main"
        type="button"
        :disabled="!Object.keys(tried).length"
        @click="take"
      >
        set these
      </button>
    </div>
    <p v-if="wrong" class="bad">■ {{ wrong }}</p>
  </section>
</template>

<style scoped>
svg {
  width: 100%;
  max-width: 640px;
  touch-action: none;
}

path {
  fill: none;
  stroke-width: 2;
}

.given {
  stroke: rgb(var(--v-theme-quiet));
}

.made {
  stroke: rgb(var(--v-theme-copper));
}

.value {
  stroke: rgb(var(--v-theme-duct));
}

.delay {
  stroke: rgb(var(--v-theme-ink));
  stroke-width: 2;
}

.grip {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-ink));
  cursor: ew-resize;
}

text {
  fill: rgb(var(--v-theme-ink));
  font-size: 11px;
}

.keys input {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

.keys input[type='number'] {
  width: 54px;
}
</style>
