<script setup lang="ts">
/**
 * What records and the plant itself tell now: held, latched, still open, failed, run out, standing, noisier than its deadband.
 * It comes and goes without an edit: it is asked for again when the stream says that one of these moved. Noise is judged over
 * some minutes, and asked as seldom. What was measured can be put down in the list from here.
 */
import { useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { mark } from '../plant/findings'
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

const MANY = 12
const all = ref(false)
const rows = computed(() => (all.value ? found.value : found.value.slice(0, MANY)))
const worst = computed(() => ['bad', 'settle', 'note'].find((s) => found.value.some((f) => f.severity === s)))

/** Put down in the list what was measured. */
async function keep(f: Schemas['LiveFindingOut']) {
  const { field, text } = f.keeps!
  const was = plant.list.text(field, plant.list.row(f.point) ?? -1)
  if (!(await plant.save([{ point: f.point, field, was, text }], 'measured'))) {
    plant.say(`σ ${text} is in the list now · Ctrl+Z undoes it`)
    void load()
  }
}
</script>

<template>
  <details v-if="found.length" class="told panel">
    <summary>
      <span aria-hidden="true">{{ mark({ severity: worst! }) }}</span> records and the plant itself tell
      {{ found.length }} more now
    </summary>
    <p v-for="f in rows" :key="f.rule + f.text">
      <span aria-hidden="true">{{ mark(f) }}</span>
      <router-link :to="f.rule === 'R31' ? '/running' : `/now/${f.point}`">{{ f.text }}</router-link>
      <span class="quiet">{{ [plant.plant?.rules?.[f.rule], f.rule].filter(Boolean).join(' · ') }}</span>
      <v-btn v-if="f.keeps" class="mini" @click="keep(f)">put σ {{ f.keeps.text }} down in the list</v-btn>
    </p>
    <v-btn v-if="found.length > rows.length" class="mini" @click="all = true"
      >{{ found.length - rows.length }} more</v-btn
    >
  </details>
</template>

<style scoped>
.told {
  padding: 4px 12px;
}

summary {
  cursor: pointer;
}

p {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: baseline;
  margin: 3px 0;
}

a {
  color: inherit;
}
</style>
