<script setup lang="ts">
/**
 * A timing strip: above what comes in, below what the point's settings make of it. Edges are dragged to try another train,
 * and so are the settings: delays and smoothing along the time, thresholds, edges of bands and the substitute up and down.
 * Nothing is set until it is taken.
 */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { blocks, edgesOf, rounded, squareLine, withEdge } from '../../plant/timing'
import { usePlant } from '../../plant/store'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'

const props = defineProps<{ point: number; contact: boolean }>()
const plant = usePlant()
const WIDTH = 560
const LANE = 40
const PLOT = 120
const CONTACT = ['debounce', 'on_delay', 'off_delay', 'stretch', 'acting', 'chatter', 'counts_on', 'preset']
const ANALOG = ['smoothing_s', 'on_at', 'off_at', 'on_failure', 'substitute', 'fault_ends', 'bands', 'bands_deadband'] // prettier-ignore
const ends = ref(3)
const edges = ref<number[]>([0.4, 0.58, 1.0, 1.9, 2.1, 2.2])
const fails = ref<[number, number]>([0, 0])
const tried = ref<Record<string, string>>({})
const strip = shallowRef<Schemas['StripOut'] | null>(null)
const wrong = ref('')
const svg = ref<SVGSVGElement | null>(null)
type Dragged =
  | { edge: number }
  | { fail: 0 | 1 }
  | { field: string; from: number; per: number }
  | { level: string; band?: number }
const dragged = ref<Dragged | null>(null)

const row = computed(() => (void plant.list.version, plant.list.row(props.point) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const now = (field: string) => tried.value[field] ?? text(field)
const fields = computed(() =>
  (props.contact ? CONTACT : ANALOG).flatMap(
    (name) => plant.plant?.fields.find((f) => f.name === name) ?? [],
  ),
)
const low = computed(() => (props.contact ? 0 : Math.min(strip.value?.low ?? 0, strip.value?.high ?? 100)))
const high = computed(() => (props.contact ? 1 : Math.max(strip.value?.low ?? 0, strip.value?.high ?? 100)))
const span = computed(() => high.value - low.value || 1)
const levels = computed<[number, number]>(() =>
  props.contact ? [0, 1] : [low.value + 0.15 * span.value, low.value + 0.85 * span.value],
)
const x = (t: number) => (t / ends.value) * WIDTH
/** A level in the plot; what lies outside the range is drawn at its edge. */
const y = (value: number) =>
  Math.max(1, Math.min(PLOT - 1, 4 + (1 - (value - low.value) / span.value) * (PLOT - 8)))
const bandEdges = computed(() => edgesOf(now('bands')))

let turn = 0
async function draw() {
  const mine = ++turn
  const given: [number, number | null][] = [[0, levels.value[0]]]
  edges.value.forEach((t, i) => given.push([t, levels.value[i % 2 === 0 ? 1 : 0]]))
  const [from, to] = fails.value
  if (to > from) {
    const after = given.filter(([t]) => t <= to).at(-1)?.[1] ?? levels.value[0]
    given.splice(0, given.length, ...given.filter(([t]) => t < from || t > to), [from, null], [to, after])
  }
  const answer = await ask(
    api.POST('/api/points/{point}/strip', {
      params: { path: { point: props.point } },
      body: { given, ends_s: ends.value, cells: tried.value },
    }),
  )
  // While one drags, answers may come in another order than they were asked in.
  if (mine !== turn) return
  wrong.value = answer.problem?.title ?? ''
  if (answer.data) strip.value = answer.data
  if (!answer.data || !against.value) return (code.value = null)
  const made = await ask(
    api.POST('/api/points/{point}/tried-code', {
      params: { path: { point: props.point } },
      body: { given, times: answer.data.times, cells: tried.value },
    }),
  )
  if (mine !== turn) return
  wrong.value = made.problem?.title ?? ''
  code.value = made.data ?? null
}

/** What the generated code makes of the same train: drawn over it, and in words. */
const against = ref(false)
const code = shallowRef<Schemas['TriedCodeOut'] | null>(null)
watch(against, () => void draw())
const verdict = computed(() => {
  const [made, shown] = [code.value, strip.value]
  if (!made || !shown || made.state.length !== shown.times.length) return made?.refused ?? ''
  // Where a signal has failed the strip takes the module's word for it, which the code has not.
  const apart = shown.times.filter(
    (_, i) =>
      (props.contact || shown.trusted[i]) &&
      ((made.state[i]! >= 0 && made.state[i] !== shown.state[i]) ||
        (made.band[i]! >= 0 && made.band[i] !== shown.band[i]) ||
        (made.counted[i] != null && made.counted[i] !== shown.counted[i]) ||
        (!props.contact &&
          Math.abs((made.value[i] ?? 0) - (shown.value[i] ?? 0)) > Math.abs(span.value) / 500)),
  )
  return apart.length
    ? `▲ the generated code goes another way at ${apart.length} of ${shown.times.length} moments, first at ${apart[0]!.toFixed(2)} s`
    : '✓ the generated code does the same'
})

const times = computed(() => strip.value?.times ?? [])
const given = computed(() =>
  squareLine(times.value, (strip.value?.given ?? []).map((v) => (v === null ? -1 : v > (levels.value[0] + levels.value[1]) / 2 ? 1 : 0)), x, WIDTH, 4, LANE - 6),
) // prettier-ignore
const made = computed(() =>
  squareLine(times.value, strip.value?.state ?? [], x, WIDTH, LANE + 18, LANE * 2 + 8),
)
const comes = computed(() => pathOf(strip.value?.given ?? []))
const value = computed(() => pathOf(strip.value?.value ?? []))
/** A line through what is known, broken where nothing is. */
function pathOf(values: (number | null)[]): string {
  let out = ''
  let pen = false
  values.forEach((v, i) => {
    if (v !== null) out += `${pen ? 'L' : 'M'}${x(times.value[i]!)} ${y(v)}`
    pen = v !== null
  })
  return out
}
const bands = computed(() => blocks(times.value, strip.value?.band ?? [], ends.value))
const spans = (some: boolean[] | undefined) =>
  blocks(
    times.value,
    (some ?? []).map((on) => (on ? 0 : -1)),
    ends.value,
  )
const chatters = computed(() => spans(strip.value?.chatters))
const done = computed(() => spans(strip.value?.done))
const waits = computed(() => spans(strip.value?.waits))
/** Where a counter goes on, and to what. */
const counts = computed(() =>
  (strip.value?.counted ?? []).flatMap((n, i, all) =>
    i && n > all[i - 1]! ? [{ at: times.value[i]!, n }] : [],
  ),
)

/** Handles along the time: from the edge they belong to, as far as they last. */
const handles = computed(() =>
  props.contact
    ? (['debounce', 'on_delay', 'off_delay', 'stretch'] as const).map((field, i) => {
        // The debounce goes before the delay: what it takes is taken first.
        const from = (edges.value[i === 2 ? 3 : 2] ?? 0) + (i === 1 || i === 2 ? (Number(now('debounce')) || 0) / 1000 : 0)
        return { field, from, per: 1000, unit: 'ms', to: from + (Number(now(field)) || 0) / 1000, y: LANE * 2 + 28 + i * 17 }
      })
    : [{ field: 'smoothing_s', from: edges.value[0] ?? 0, per: 1, unit: 's', to: (edges.value[0] ?? 0) + (Number(now('smoothing_s')) || 0), y: PLOT + 10 }],
) // prettier-ignore
const label = (field: string) => fields.value.find((f) => f.name === field)?.label ?? field
/** What lies across the plot: thresholds, edges of bands, the substitute. */
const lines = computed(() =>
  props.contact
    ? []
    : [
        ...['on_at', 'off_at', ...(now('on_failure') === 'substitute' ? ['substitute'] : [])]
          .filter((f) => now(f) !== '')
          .map((f) => ({
            level: f,
            band: undefined as number | undefined,
            at: Number(now(f)),
            says: label(f),
          })),
        ...bandEdges.value.map((at, i) => ({
          level: 'bands',
          band: i,
          at,
          says: strip.value?.bands[i + 1] ?? '',
        })),
      ],
)

function move(event: PointerEvent) {
  const what = dragged.value
  if (!what) return
  const box = svg.value!.getBoundingClientRect()
  const t = Math.round(Math.max(0, Math.min(ends.value, ((event.clientX - box.left) / box.width) * ends.value)) * 100) / 100 // prettier-ignore
  if ('edge' in what) {
    const before = edges.value[what.edge - 1] ?? 0.02
    const after = edges.value[what.edge + 1] ?? ends.value
    edges.value = edges.value.map((e, i) => (i === what.edge ? Math.min(after, Math.max(before, t)) : e))
  } else if ('fail' in what) {
    fails.value = what.fail ? [fails.value[0], Math.max(fails.value[0], t)] : [Math.min(t, fails.value[1]), fails.value[1]] // prettier-ignore
  } else if ('field' in what) {
    const lasts = Math.max(0, (t - what.from) * what.per)
    tried.value = { ...tried.value, [what.field]: String(what.per === 1 ? Math.round(lasts * 10) / 10 : Math.round(lasts)) } // prettier-ignore
  } else {
    const up = ((event.clientY - box.top) / box.width) * WIDTH
    const at = low.value + (1 - (up - 4) / (PLOT - 8)) * span.value
    setLevel(what.level, rounded(at, span.value), what.band)
  }
}

function setLevel(field: string, at: string, band?: number) {
  tried.value = { ...tried.value, [field]: band === undefined ? at : withEdge(now('bands'), band, at) }
}

function nudge(field: string, per: number, event: KeyboardEvent) {
  const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
  if (!by) return
  event.preventDefault()
  const to = Math.max(0, (Number(now(field)) || 0) + by * (per === 1 ? 0.1 : 10))
  tried.value = { ...tried.value, [field]: String(Math.round(to * 10) / 10) }
}

function raise(line: { level: string; band: number | undefined; at: number }, event: KeyboardEvent) {
  const by = event.key === 'ArrowUp' ? 1 : event.key === 'ArrowDown' ? -1 : 0
  if (!by) return
  event.preventDefault()
  setLevel(line.level, rounded(line.at + (by * span.value) / 200, span.value), line.band)
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

function begin() {
  tried.value = {}
  if (!props.contact) {
    ends.value = Math.max(6, Math.ceil(8 * (Number(text('smoothing_s')) || 0)))
    edges.value = [0.08, 0.55].map((share) => share * ends.value)
    fails.value = [0.75 * ends.value, 0.88 * ends.value]
  }
  void draw()
}
watch(() => props.point, begin) // prettier-ignore
// The first answer tells the ends of the range that the levels are taken from.
watch(levels, () => void draw())
watch([edges, fails, tried, ends], () => void draw(), { deep: true })
onMounted(begin)
</script>

<template>
  <section class="panel side strip">
    <svg
      ref="svg"
      :viewBox="`0 0 ${WIDTH} ${contact ? LANE * 2 + 94 : PLOT + 78}`"
      @pointermove="move"
      @pointerup="dragged = null"
      @pointerleave="dragged = null"
    >
      <template v-if="contact">
        <path class="given" :d="given" />
        <path class="made" :d="made" />
        <path
          v-if="code?.state.length"
          class="code"
          :d="squareLine(times, code.state, x, WIDTH, LANE + 18, LANE * 2 + 8)"
        />
        <text v-for="c in counts" :key="c.at" class="count" :x="x(c.at)" :y="LANE + 14">{{ c.n }}</text>
        <g v-for="c in chatters" :key="`c${c.from}`">
          <rect class="waits" :x="x(c.from)" :width="x(c.to) - x(c.from)" :y="LANE * 2 + 10" height="10" />
          <text class="word" :x="Math.min(x(c.from) + 3, WIDTH - 60)" :y="LANE * 2 + 18">chatters</text>
        </g>
        <g v-for="d in done" :key="`d${d.from}`">
          <line class="delay" :x1="x(d.from)" :x2="x(d.from)" :y1="LANE" :y2="LANE * 2 + 10" />
          <text class="word" :x="Math.min(x(d.from) + 3, WIDTH - 40)" :y="LANE + 30">done</text>
        </g>
        <text class="word" :x="2" :y="LANE + 16">{{ strip?.words[1] }}</text>
        <text class="word" :x="2" :y="LANE * 2 + 18">{{ strip?.words[0] }}</text>
      </template>
      <template v-else>
        <g v-if="fails[1] > fails[0]">
          <rect class="failed" :x="x(fails[0])" :width="x(fails[1]) - x(fails[0])" y="0" :height="PLOT" />
          <text class="word" :x="x(fails[0]) + 3" y="12">failed</text>
          <line
            v-for="(at, i) in fails"
            :key="i"
            class="end"
            :x1="x(at)"
            :x2="x(at)"
            y1="0"
            :y2="PLOT"
            @pointerdown.prevent="dragged = { fail: i as 0 | 1 }"
          />
        </g>
        <g v-for="l in lines" :key="`${l.level}${l.band}`">
          <line class="across" :class="l.level" x1="0" :x2="WIDTH" :y1="y(l.at)" :y2="y(l.at)" />
          <line
            class="hold"
            x1="0"
            :x2="WIDTH"
            :y1="y(l.at)"
            :y2="y(l.at)"
            tabindex="0"
            role="slider"
            :aria-label="l.says"
            :aria-valuenow="l.at"
            @pointerdown.prevent="dragged = { level: l.level, band: l.band }"
            @keydown="raise(l, $event)"
          />
          <text class="word" :x="WIDTH - 2" :y="y(l.at) - 3" text-anchor="end">{{ l.says }} {{ l.at }}</text>
        </g>
        <path class="given" :d="comes" />
        <path class="value" :d="value" />
        <path v-if="code?.value.length" class="code" :d="pathOf(code.value)" />
        <rect
          v-for="b in bands"
          :key="b.from"
          class="band"
          :class="{ odd: b.state % 2 }"
          :x="x(b.from)"
          :width="Math.max(0, x(b.to) - x(b.from))"
          :y="PLOT + 22"
          height="16"
        />
        <text v-for="b in bands" :key="`n${b.from}`" class="word" :x="x(b.from) + 3" :y="PLOT + 34">
          {{ x(b.to) - x(b.from) > 34 ? strip?.bands[b.state] : '' }}
        </text>
        <path
          v-if="now('on_at')"
          class="made"
          :d="squareLine(times, strip?.state ?? [], x, WIDTH, PLOT + 44, PLOT + 58)"
        />
        <rect
          v-for="w in waits"
          :key="`w${w.from}`"
          class="waits"
          :x="x(w.from)"
          :width="x(w.to) - x(w.from)"
          :y="PLOT + 62"
          height="12"
        />
        <text
          v-for="w in waits"
          :key="`t${w.from}`"
          class="word"
          :x="Math.min(x(w.from) + 3, WIDTH - 86)"
          :y="PLOT + 72"
        >
          waits for a reset
        </text>
      </template>
      <circle
        v-for="(t, i) in edges"
        :key="i"
        class="grip"
        :cx="x(t)"
        :cy="contact ? LANE / 2 : y((levels[0] + levels[1]) / 2)"
        r="6"
        @pointerdown.prevent="dragged = { edge: i }"
      />
      <g v-for="h in handles" :key="h.field">
        <line class="delay" :x1="x(h.from)" :x2="x(h.to)" :y1="h.y" :y2="h.y" />
        <rect
          class="grip"
          :x="x(h.to) - 4"
          :y="h.y - 6"
          width="8"
          height="12"
          tabindex="0"
          role="slider"
          :aria-label="label(h.field)"
          :aria-valuenow="Number(now(h.field)) || 0"
          @pointerdown.prevent="dragged = { field: h.field, from: h.from, per: h.per }"
          @keydown="nudge(h.field, h.per, $event)"
        />
        <text :x="Math.min(x(h.to) + 9, WIDTH - 130)" :y="h.y + 4">
          {{ label(h.field) }} {{ now(h.field) || 0 }} {{ h.unit }}
        </text>
      </g>
    </svg>
    <p class="quiet small">
      {{
        contact
          ? 'above the contact, closed or open; below what is made of it'
          : 'grey what comes in, dark what is shown'
      }}; drag edges, handles and lines. The rack is looked at every
      {{ ((strip?.period_s ?? 1) * 1000).toFixed(0) }} ms: what is shorter may be missed.
    </p>
    <div class="keys">
      <label v-for="f in fields" :key="f.name" v-tip="f.says" :class="{ wide: f.name === 'bands' }"
        >{{ f.label }}
        <ChoiceField
          v-if="f.choices.length"
          :model-value="now(f.name)"
          :items="['', ...f.choices]"
          @update:model-value="tried = { ...tried, [f.name]: $event }"
        />
        <DenseField
          v-else
          class="figure"
          :size="f.name === 'bands' ? 34 : 6"
          :model-value="now(f.name)"
          @change="tried = { ...tried, [f.name]: ($event.target as HTMLInputElement).value }"
        />
        {{ f.unit }}</label
      >
      <label>over <DenseField v-model.number="ends" type="number" min="0.5" max="3600" step="0.5" /> s</label>
      <v-btn
        v-if="plant.may('edit')"
        class="act main"
        :disabled="!Object.keys(tried).length || !!wrong"
        @click="take"
      >
        set these
      </v-btn>
      <v-btn v-if="Object.keys(tried).length" class="act" @click="tried = {}">as it is</v-btn>
    </div>
    <p v-if="wrong" class="bad">■ {{ wrong }}</p>
    <v-checkbox
      v-model="against"
      label="against its code: what the generated program makes of this"
      hide-details
    />
    <p v-if="against && verdict" :class="{ settle: verdict.startsWith('▲') }" role="status">{{ verdict }}</p>
    <pre v-if="against && code?.lines.length" class="figure lines">{{ code.lines.join('\n') }}</pre>
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

.code {
  stroke: rgb(var(--v-theme-apart));
  stroke-dasharray: 3 3;
  stroke-width: 2;
  fill: none;
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.lines {
  max-height: 180px;
  margin: 0;
  overflow: auto;
  font-size: 12px;
}

.made {
  stroke: rgb(var(--v-theme-copper));
}

.value {
  stroke: rgb(var(--v-theme-ink));
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

.across {
  stroke: rgb(var(--v-theme-copper));
  stroke-dasharray: 6 3;
}

.across.bands {
  stroke: rgb(var(--v-theme-duct));
  stroke-dasharray: none;
}

.across.substitute {
  stroke: rgb(var(--v-theme-apart));
  stroke-dasharray: 2 3;
}

.hold {
  stroke: transparent;
  stroke-width: 12;
  cursor: ns-resize;
}

.failed {
  fill: rgb(var(--v-theme-bad-wash));
}

.end {
  stroke: rgb(var(--v-theme-bad));
  stroke-width: 3;
  cursor: ew-resize;
}

.band {
  fill: rgb(var(--v-theme-band));
  stroke: rgb(var(--v-theme-line));
}

.band.odd {
  fill: rgb(var(--v-theme-surface));
}

.waits {
  fill: rgb(var(--v-theme-settle-wash));
  stroke: rgb(var(--v-theme-settle));
}

text {
  fill: rgb(var(--v-theme-ink));
  font-size: 11px;
}

.word,
.count {
  font-size: 10px;
  pointer-events: none;
}

.count {
  text-anchor: middle;
}

.keys input,
.keys select {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

.keys option {
  color: initial;
}

.keys input[type='number'] {
  width: 54px;
}

.wide {
  flex-basis: 100%;
}
</style>
