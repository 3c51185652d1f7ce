<script setup lang="ts">
/**
 * A script along its time: a lane a point. What is put on is a filled step on the wire, what must be seen a frame as long
 * as it may take; a run fills the frame to where it was seen.
 */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'

const props = defineProps<{ lines: Schemas['ScriptLine'][]; length: number; now: number | null }>()
const emit = defineEmits<{ line: [number] }>()
const LEFT = 84
const WIDTH = 440
const LANE = 62
const HIGH = 26
const whole = computed(() => Math.max(1, props.length))
const x = (s: number) => LEFT + (Math.min(s, whole.value) / whole.value) * WIDTH
const lanes = computed(() => [...new Set(props.lines.map((l) => l.tag))])
const y = (tag: string) => 8 + lanes.value.indexOf(tag) * LANE
const puts = computed(() => props.lines.filter((l) => !l.sees))
/** Frames of one point lie over each other where their times do; each finds a row that is free. */
const sees = computed(() => {
  const free = new Map<string, number[]>()
  return props.lines
    .filter((l) => l.sees)
    .map((l) => {
      const rows = free.get(l.tag) ?? free.set(l.tag, []).get(l.tag)!
      let row = rows.findIndex((end) => end <= l.at)
      if (row < 0) row = Math.min(rows.length, 2)
      rows[row] = l.ends
      return { ...l, row }
    })
})
const until = (l: Schemas['ScriptLine']) => {
  const next = puts.value.filter((p) => p.tag === l.tag && p.at > l.at).map((p) => p.at)
  return next.length ? Math.min(...next) : whole.value
}
/** The least and the most that is put on at each point: its lane is as high. */
const ends = computed(() => {
  const out = new Map<string, [number, number]>()
  for (const p of puts.value)
    for (const level of [p.level, p.becomes])
      if (level != null) {
        const [low, high] = out.get(p.tag) ?? [level, level]
        out.set(p.tag, [Math.min(low, level), Math.max(high, level)])
      }
  return out
})
function up(tag: string, level: number): number {
  const [low, high] = ends.value.get(tag) ?? [0, 1]
  return y(tag) + HIGH - (high > low ? ((level - low) / (high - low)) * (HIGH - 6) : HIGH / 2) - 2
}
/** The line of what stands on the wires from a step on, until the next. */
function drawn(p: Schemas['ScriptLine']): string {
  if (p.level == null) return ''
  const over = until(p)
  const there = Math.min(over, p.at + p.in_s)
  const share = p.in_s ? (there - p.at) / p.in_s : 1
  const becomes = p.becomes ?? p.level
  return `M${x(p.at)} ${up(p.tag, p.level)}L${x(there)} ${up(p.tag, p.level + (becomes - p.level) * share)}H${x(over)}`
}
/** About seven marks, at round times. */
const marks = computed(() => {
  const rough = whole.value / 7
  const step = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600].find((s) => s >= rough) ?? 600
  return Array.from({ length: Math.floor(whole.value / step) + 1 }, (_, i) => i * step)
})
const say = (s: number) => (s >= 120 && s % 60 === 0 ? `${s / 60} min` : `${s} s`)
</script>

<template>
  <svg
    v-if="lines.length"
    class="strip"
    :viewBox="`0 0 ${LEFT + WIDTH + 16} ${lanes.length * LANE + 34}`"
    role="img"
    :aria-label="`${lines.length} steps in ${length} s`"
  >
    <g v-for="m in marks" :key="m">
      <line class="mark" :x1="x(m)" :x2="x(m)" y1="4" :y2="lanes.length * LANE + 8" />
      <text class="time" :x="x(m)" :y="lanes.length * LANE + 22">{{ say(m) }}</text>
    </g>
    <g v-for="tag in lanes" :key="tag">
      <text class="tag" x="0" :y="y(tag) + 15">{{ tag.length > 12 ? `${tag.slice(0, 11)}…` : tag }}</text>
      <line class="wire" :x1="LEFT" :x2="LEFT + WIDTH" :y1="y(tag) + HIGH + 2" :y2="y(tag) + HIGH + 2" />
    </g>
    <g v-for="p in puts" :key="`p${p.line}`" class="put" :class="p.state" @click="emit('line', p.line)">
      <title>line {{ p.line }}: {{ p.says }}</title>
      <rect
        v-if="p.fault"
        class="fault"
        :x="x(p.at)"
        :y="y(p.tag) + 2"
        :width="Math.max(3, x(until(p)) - x(p.at))"
        :height="HIGH"
      />
      <text v-if="p.fault" class="wrong" :x="x(p.at) + 4" :y="y(p.tag) + 18">{{ p.fault }}</text>
      <path :d="drawn(p)" />
      <line class="edge" :x1="x(p.at)" :x2="x(p.at)" :y1="y(p.tag)" :y2="y(p.tag) + HIGH + 4" />
    </g>
    <g
      v-for="s in sees"
      :key="`s${s.line}`"
      class="see"
      :class="s.state.replace(' ', '-')"
      @click="emit('line', s.line)"
    >
      <title>line {{ s.line }}: {{ s.says }}{{ s.after !== null ? `, seen after ${s.after} s` : '' }}</title>
      <rect
        :x="x(s.at)"
        :y="y(s.tag) + HIGH + 8 + s.row * 8"
        :width="Math.max(5, x(s.ends) - x(s.at))"
        height="6"
        rx="1"
      />
      <rect
        v-if="s.after !== null && s.began !== null"
        class="till"
        :x="x(s.at)"
        :y="y(s.tag) + HIGH + 8 + s.row * 8"
        :width="Math.max(3, x(s.began + s.after) - x(s.at))"
        height="6"
        rx="1"
      />
    </g>
    <line v-if="now !== null" class="cursor" :x1="x(now)" :x2="x(now)" y1="0" :y2="lanes.length * LANE + 8" />
  </svg>
</template>

<style scoped>
.strip {
  width: 100%;
  max-height: 320px;
}

text {
  fill: rgb(var(--v-theme-ink));
  font-family: var(--mono);
  font-size: 11px;
}

.time {
  fill: rgb(var(--v-theme-quiet));
  text-anchor: middle;
  font-size: 10px;
}

.mark {
  stroke: rgb(var(--v-theme-line));
}

.wire {
  stroke: rgb(var(--v-theme-duct));
}

.put path {
  fill: none;
  stroke: rgb(var(--v-theme-copper));
  stroke-width: 3;
}

.fault {
  fill: rgb(var(--v-theme-bad-wash));
  stroke: rgb(var(--v-theme-bad));
  stroke-dasharray: 3 3;
}

.wrong {
  fill: rgb(var(--v-theme-bad));
}

.put.failed path {
  stroke: rgb(var(--v-theme-bad));
}

.edge {
  stroke: rgb(var(--v-theme-quiet));
  stroke-dasharray: 1 2;
}

.see rect {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-ink));
}

.see.not-seen rect {
  fill: rgb(var(--v-theme-bad));
  stroke: rgb(var(--v-theme-bad));
}

.see .till {
  fill: rgb(var(--v-theme-ink));
}

.cursor {
  stroke: rgb(var(--v-theme-copper));
  stroke-dasharray: 3 2;
}

g {
  cursor: pointer;
}
</style>
