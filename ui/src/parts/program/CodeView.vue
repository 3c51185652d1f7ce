<script setup lang="ts">
/**
 * A text of code, however long: only the lines in sight are drawn. Comments are quiet; lines of the chosen point stand out; a line
 * that belongs to a point chooses it.
 */
import { computed, nextTick, ref, watch } from 'vue'
import { useElementSize, useScroll } from '@vueuse/core'

const props = defineProps<{
  text: string
  /** {line from 1: point}. */
  points?: Map<number, number>
  chosen?: number
  /** A line to bring into sight, from 1. */
  line?: number
  /** {line from 1: what is wrong there}. */
  wrong?: Map<number, string>
  label: string
}>()
const emit = defineEmits<{ choose: [point: number] }>()

const LINE = 18
const BESIDE = 20
const box = ref<HTMLElement | null>(null)
const { height } = useElementSize(box)
const { y } = useScroll(box)

interface Line {
  n: number
  text: string
  /** Where a comment begins in it, -1 for nowhere, 0 for all of it. */
  quiet: number
}
const lines = computed<Line[]>(() => {
  let inside = false
  return props.text.split('\n').map((text, k) => {
    const opens = text.indexOf('(*') >= 0 ? text.indexOf('(*') : text.indexOf('/*')
    const quiet = inside ? 0 : opens
    if (opens >= 0 || inside) inside = !(text.lastIndexOf('*)') > opens || text.lastIndexOf('*/') > opens)
    return { n: k + 1, text, quiet }
  })
})
const first = computed(() => Math.max(0, Math.floor(y.value / LINE) - BESIDE))
const shown = computed(() =>
  lines.value.slice(first.value, first.value + Math.ceil((height.value || 600) / LINE) + 2 * BESIDE),
)
const digits = computed(() => String(lines.value.length).length)

function choose(n: number) {
  const point = props.points?.get(n)
  if (point) emit('choose', point)
}

watch(
  () => [props.line, props.text] as const,
  async ([line]) => {
    if (!line || !box.value) return
    await nextTick()
    const at = (line - 1) * LINE
    const { scrollTop, clientHeight } = box.value
    if (at < scrollTop || at > scrollTop + clientHeight - 3 * LINE)
      box.value.scrollTop = Math.max(0, at - clientHeight / 3)
  },
)
</script>

<template>
  <div ref="box" class="code figure" role="region" :aria-label="label" tabindex="0">
    <div class="all" :style="{ height: `${lines.length * LINE}px` }">
      <div class="some" :style="{ transform: `translateY(${first * LINE}px)` }">
        <div
          v-for="l in shown"
          :key="l.n"
          class="row"
          :class="{
            of: points?.has(l.n),
            on: chosen && points?.get(l.n) === chosen,
            wrong: wrong?.has(l.n),
            here: l.n === line,
          }"
          :title="wrong?.get(l.n)"
          @click="choose(l.n)"
        >
          <span class="n" :style="{ width: `${digits + 1}ch` }">{{ l.n }}</span>
          <span>{{ l.quiet < 0 ? l.text : l.text.slice(0, l.quiet) }}</span><span
            v-if="l.quiet >= 0"
            class="quiet"
            >{{ l.text.slice(l.quiet) }}</span
          >
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.code {
  overflow: auto;
  border: 1px solid rgb(var(--v-theme-line));
  border-radius: 4px;
  font-size: 12.5px;
  background: rgb(var(--v-theme-surface));
}

.all {
  position: relative;
  min-width: max-content;
}

.row {
  height: 18px;
  padding-right: 12px;
  line-height: 18px;
  white-space: pre;
}

.row.of {
  cursor: pointer;
}

.row.of:hover {
  background: rgb(var(--v-theme-copper), 0.08);
}

.row.on {
  background: rgb(var(--v-theme-copper), 0.16);
  box-shadow: inset 3px 0 rgb(var(--v-theme-copper));
}

.row.wrong {
  background: rgb(var(--v-theme-bad), 0.12);
  box-shadow: inset 3px 0 rgb(var(--v-theme-bad));
}

.n {
  display: inline-block;
  padding-right: 1ch;
  color: rgb(var(--v-theme-quiet));
  text-align: right;
  user-select: none;
}
</style>
