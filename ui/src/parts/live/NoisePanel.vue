<script setup lang="ts">
/** The noise of a window in units and counts, and what a filter would make of it, tried on the readings themselves. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import TrendChart from '../../plot/TrendChart.vue'
import { formOf } from '../../plant/now'
import { usePlant } from '../../plant/store'
import { figure } from '../../plant/words'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const WINDOWS = [30, 120, 600, 3600]
const seconds = ref(120)
const noise = shallowRef<Schemas['NoiseOut'] | null>(null)
const busy = ref(false)
const form = computed(() => formOf(plant, plant.list.row(props.point) ?? -1))
const NAMES = { least: 'least', most: 'most', mean: 'mean', sigma: 'σ', fast: 'σ, fast part' } as const
const units = (x: number | null | undefined, more = 2) =>
  x == null ? '–' : figure(x, form.value.decimals + more)

async function read() {
  busy.value = true
  const query = { seconds: seconds.value, wanted: 0 }
  const answer = await ask(
    api.GET('/api/points/{point}/noise', { params: { path: { point: props.point }, query } }),
  )
  busy.value = false
  noise.value = answer.data ?? null
}

async function use(smoothing: number) {
  const row = plant.list.row(props.point) ?? -1
  const was = plant.list.text('smoothing_s', row)
  const problem = await plant.save([
    { point: props.point, field: 'smoothing_s', was, text: String(smoothing) },
  ])
  if (!problem) plant.say(`smoothing of ${smoothing} s from the next reading on · Ctrl+Z takes it back`)
}

watch([seconds, () => props.point], read)
onMounted(read)
</script>

<template>
  <section class="panel side">
    <div class="keys">
      <v-btn v-for="s in WINDOWS" :key="s" class="chip" :class="{ on: seconds === s }" @click="seconds = s">
        {{ s < 600 ? `${s} s` : `${s / 60} min` }}
      </v-btn>
      <v-btn class="chip" :disabled="busy" @click="read">again</v-btn>
    </div>
    <TrendChart :point="point" :seconds="seconds" :height="130" />
    <template v-if="noise">
      <table class="figure">
        <thead>
          <tr>
            <th></th>
            <th>{{ form.unit || 'value' }}</th>
            <th>counts</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(says, name) in NAMES" :key="name">
            <th>{{ says }}</th>
            <td>{{ units(noise.units[name]) }}</td>
            <td>{{ noise.counts[name] == null ? '–' : figure(noise.counts[name]!, 1) }}</td>
          </tr>
        </tbody>
      </table>
      <p>{{ noise.readings }} readings · {{ noise.says }}</p>
      <table v-if="noise.tried.length" class="figure small">
        <thead>
          <tr>
            <th>smoothing</th>
            <th>σ behind it</th>
            <th>95 % of a step in</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="x in noise.tried" :key="x.smoothing_s">
            <td>{{ x.smoothing_s }} s</td>
            <td>{{ units(x.sigma) }}</td>
            <td>{{ x.to_95_s }} s</td>
            <td>
              <v-btn v-if="plant.may('edit')" class="mini" @click="use(x.smoothing_s)"> take it </v-btn>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
table {
  margin: 6px 0;
  border-collapse: collapse;
}

th,
td {
  padding: 1px 12px 1px 0;
  font-weight: 400;
  text-align: right;
}

tbody th,
th:first-child {
  text-align: left;
}
</style>
