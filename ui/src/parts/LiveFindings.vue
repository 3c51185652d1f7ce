<script setup lang="ts">
/**
 * What the plant itself tells now: held, latched, still open, noisier than its deadband. It comes and goes without an edit:
 * it is asked for again when the stream says that one of these moved. Noise is judged over some minutes, and asked as seldom.
 */
import { useIntervalFn } from '@vueuse/core'
import { shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { latest } from '../plant/latest'
import { usePlant } from '../plant/store'

const NOISE_MS = 300_000
const REST_MS = 5_000
const plant = usePlant()
const found = shallowRef<Schemas['LiveFindingOut'][]>([])

const load = latest(async () => {
  found.value = (await ask(api.GET('/api/findings/live'))).data?.findings ?? found.value
  // A flood of alarms moves many times a second; what it comes to is asked for once it may have changed.
  await new Promise((rest) => setTimeout(rest, REST_MS))
})
watch(() => [plant.temporary, plant.alarms], load)
useIntervalFn(load, NOISE_MS, { immediateCallback: true })
</script>

<template>
  <details v-if="found.length" class="told panel">
    <summary>
      <span aria-hidden="true">{{ found.some((f) => f.severity === 'bad') ? '■' : '▲' }}</span> the plant
      tells {{ found.length }} more now
    </summary>
    <p v-for="f in found" :key="f.rule + f.text">
      <span aria-hidden="true">{{ f.severity === 'bad' ? '■' : f.severity === 'settle' ? '▲' : '○' }}</span>
      <router-link :to="`/now/${f.point}`">{{ f.text }}</router-link> <span class="quiet">{{ f.rule }}</span>
    </p>
  </details>
</template>

<style scoped>
.told {
  margin: 0 14px 6px;
  padding: 4px 12px;
}

summary {
  cursor: pointer;
}

p {
  margin: 2px 0;
}

a {
  color: inherit;
}
</style>
