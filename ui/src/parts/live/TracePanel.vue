<script setup lang="ts">
/**
 * Where does the signal stop? Six stages from the device to the display, each with where to look and what must be there;
 * they are ticked as they are looked at, register and value look by themselves. Below: do something to the device by hand
 * and see whether the value goes the right way.
 */
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { nowOf } from '../../plant/now'
import { usePlant } from '../../plant/store'
import DenseField from '../../kit/DenseField.vue'

type Tick = Schemas['TraceStage']['tick']
const WATCH_S = 20
const props = defineProps<{ point: number }>()
const plant = usePlant()
const given = ref('')
const ticks = ref<Tick[]>(['', '', '', '', '', ''])
const trace = shallowRef<Schemas['TraceOut'] | null>(null)
const stimuli = shallowRef<Schemas['StimuliOut'] | null>(null)
const wrong = ref('')
const doing = ref('')
const before = ref<number | null>(null)
const left = ref(0)
const moved = shallowRef<Schemas['StimulusSeen'] | null>(null)
const now = computed(() => (void plant.live.version, nowOf(plant, props.point)))
const value = () => now.value.reading?.value ?? null

async function look() {
  const answer = await ask(
    api.POST('/api/points/{point}/trace', {
      params: { path: { point: props.point } },
      body: { given: given.value, ticks: ticks.value },
    }),
  )
  wrong.value = answer.problem ? said(answer.problem) : ''
  if (answer.data) trace.value = answer.data
}

async function offers() {
  stimuli.value =
    (await ask(api.GET('/api/points/{point}/stimuli', { params: { path: { point: props.point } } }))).data ??
    null
}

function tick(k: number, to: Tick) {
  ticks.value = ticks.value.map((t, i) => (i === k ? (t === to ? '' : to) : t))
  void look()
}

/** From now on the value is watched; the furthest it goes within the time is what it did. */
function act(name: string) {
  doing.value = name
  moved.value = null
  before.value = furthest = value()
  ends = Date.now() + WATCH_S * 1000
  watching.resume()
}

let furthest: number | null = null
let ends = 0
const watching = useIntervalFn(
  () => {
    const here = value()
    if (
      here !== null &&
      before.value !== null &&
      Math.abs(here - before.value) > Math.abs((furthest ?? here) - before.value)
    )
      furthest = here
    left.value = Math.max(0, Math.ceil((ends - Date.now()) / 1000))
    if (left.value) return
    watching.pause()
    void judge(doing.value, furthest)
  },
  300,
  { immediate: false },
)

async function judge(name: string, after: number | null) {
  const answer = await ask(
    api.POST('/api/points/{point}/stimuli/judge', {
      params: { path: { point: props.point } },
      body: { name, before: before.value, after },
    }),
  )
  doing.value = ''
  wrong.value = answer.problem ? said(answer.problem) : ''
  moved.value = answer.data ?? null
}

function begin() {
  watching.pause()
  ticks.value = ['', '', '', '', '', '']
  given.value = doing.value = ''
  moved.value = null
  void look()
  void offers()
}
watch(() => props.point, begin) // prettier-ignore
onMounted(begin)
const rack = () => plant.list.racks[plant.list.row(props.point) ?? -1]
onUnmounted(plant.live.onBlock((of) => of === rack() && given.value && void look()))
</script>

<template>
  <section class="panel side trace">
    <h2>where does it stop?</h2>
    <form class="given" @submit.prevent="look">
      <label
        >in the pipe now
        <DenseField
          v-model="given"
          class="figure"
          size="10"
          :placeholder="trace?.given"
          aria-label="what is in the pipe now"
          @change="look"
      /></label>
      <span class="quiet small">{{ trace?.unit || 'at rest, or acted upon' }}</span>
    </form>
    <ol v-if="trace">
      <li
        v-for="(s, k) in trace.stages"
        :key="s.name"
        :class="{
          suspect: trace.between?.includes(k),
          next: trace.following === k,
          gone: s.tick === 'not seen',
        }"
      >
        <span class="dot" aria-hidden="true">{{
          s.tick === 'seen' ? '●' : s.tick === 'not seen' ? '■' : '○'
        }}</span>
        <b>{{ s.name }}</b>
        <span class="quiet">{{ s.look }}</span>
        <span class="figure">{{ s.expected }}</span>
        <span v-if="s.reads" class="figure small">reads {{ s.reads }}</span>
        <span class="ticks">
          <v-btn class="mini" :aria-pressed="s.tick === 'seen'" @click="tick(k, 'seen')">
            {{ s.by_itself && s.tick === 'seen' ? 'seen, by itself' : 'seen' }}
          </v-btn>
          <v-btn class="mini" :aria-pressed="s.tick === 'not seen'" @click="tick(k, 'not seen')">
            {{ s.by_itself && s.tick === 'not seen' ? 'not seen, by itself' : 'not seen' }}
          </v-btn>
        </span>
      </li>
    </ol>
    <p v-if="trace" role="status">
      <b>{{ trace.says }}</b><br />
      {{ trace.do }}
    </p>
    <h2>does it go the right way?</h2>
    <ul v-if="stimuli">
      <li v-for="s in stimuli.stimuli" :key="s.name" class="by-hand">
        <v-btn class="act" :disabled="!!doing" @click="act(s.name)">{{ s.name }} now</v-btn>
        <span
          >{{ s.says }}: <b class="figure">{{ s.expected }}</b></span
        >
      </li>
    </ul>
    <p v-if="doing" role="status">watching for {{ left }} s: {{ now.text }} {{ now.unit }}</p>
    <p v-if="moved" role="status" :class="{ bad: moved.right === false }">
      <b>{{ moved.right ? '● ' : moved.right === false ? '■ ' : '' }}{{ moved.says }}</b>
    </p>
    <p v-if="wrong" class="bad">■ {{ wrong }}</p>
  </section>
</template>

<style scoped>
.given,
.by-hand {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px;
}

input {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

ol,
ul {
  margin: 8px 0;
  padding: 0;
  list-style: none;
}

ol {
  display: grid;
  grid-template-columns: 18px 92px minmax(0, 1fr) auto auto auto;
  gap: 0 8px;
}

ol li {
  display: grid;
  grid-column: 1 / -1;
  grid-template-columns: subgrid;
  align-items: baseline;
  padding: 4px 6px;
  border-left: 3px solid rgb(var(--v-theme-duct));
}

ol li.next {
  background: rgb(var(--v-theme-copper-wash));
}

ol li.suspect {
  border-left: 5px solid rgb(var(--v-theme-bad));
}

ol .figure {
  text-align: right;
}

.ticks {
  grid-column: 6;
}

.gone .dot {
  color: rgb(var(--v-theme-bad));
}

.mini[aria-pressed='true'] {
  font-weight: 600;
  text-decoration: underline;
}

@media (max-width: 760px) {
  ol {
    display: block;
  }

  ol li {
    grid-template-columns: 18px minmax(0, 1fr) auto;
    gap: 8px;
  }

  .ticks {
    grid-column: 2 / -1;
  }

  .ticks .mini {
    padding: 8px 12px;
    font-size: 15px;
  }
}
</style>
