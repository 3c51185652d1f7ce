<script setup lang="ts">
/** The open-wire test: what the value, the bit, the alarm and the lamp did when a wire was pulled, and how soon. */
import { computed, ref } from 'vue'
import { ask, api, said } from '../../api/client'
import { nowOf } from '../../plant/now'
import { usePlant } from '../../plant/store'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ point: number; standIn: boolean }>()
const wire = defineModel<Record<string, string>>({ required: true })
const plant = usePlant()
const busy = ref(false)
const says = ref('')
const WIRE = ['value', 'bit', 'alarm', 'light', 'time'] as const
const now = computed(() => (void plant.live.version, nowOf(plant, props.point)))
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

/** On a stand-in the wire is pulled by itself, and all five results are written down as they come. */
async function pull() {
  busy.value = true
  const body = { text: '', form: 'fixed', high: '', period_s: 10, faults: [{ kind: 'open', amount: '' }] }
  const path = { params: { path: { point: props.point } } }
  const put = await ask(api.PUT('/api/points/{point}/injection', { ...path, body }))
  if (put.problem) {
    busy.value = false
    return (says.value = said(put.problem))
  }
  const began = Date.now()
  let told = 0
  for (let tries = 0; tries < 80; tries++) {
    await wait(200)
    if (now.value.reading?.quality === 'bad' && !told) told = Date.now()
    if (told && (plant.alarmsOf.get(props.point)?.length || tries > 60)) break
  }
  const advice = await ask(api.GET('/api/points/{point}/advice', path))
  const alarm = plant.alarmsOf.get(props.point)?.[0]
  wire.value = {
    value: `${now.value.text} ${now.value.unit}`,
    bit: told ? (advice.data?.faults[0]?.says ?? 'bad') : 'not told',
    alarm: alarm ? `${alarm.kind}, ${alarm.state}` : 'none',
    light: wire.value.light ?? '',
    time: told ? `${((told - began) / 1000).toFixed(1)} s` : 'never within 16 s',
  }
  await ask(api.PUT('/api/points/{point}/injection', { ...path, body: { ...body, faults: [] } }))
  busy.value = false
}
</script>

<template>
  <section>
    <h2>open-wire test</h2>
    <label v-for="w in WIRE" :key="w" class="field"
      >{{ w }}
      <DenseField
        :model-value="wire[w]"
        maxlength="200"
        @input="wire = { ...wire, [w]: ($event.target as HTMLInputElement).value }"
    /></label>
    <v-btn v-if="plant.may('inject') && standIn" class="act" :disabled="busy" @click="pull">
      pull the wire of the stand-in
    </v-btn>
    <p v-if="says" class="bad">■ {{ says }}</p>
  </section>
</template>
