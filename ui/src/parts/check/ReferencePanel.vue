<script setup lang="ts">
/** A reference meter beside the source: what of an error is the source's, the shunt's and the channel's. */
import { computed, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { nowOf } from '../../plant/now'
import { usePlant } from '../../plant/store'
import { figure } from '../../plant/words'
import { useEscape } from '../../plant/escape'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const open = ref(false)
const asked = ref('')
const measured = ref('')
const volts = ref('')
const says = ref('')
const found = shallowRef<Schemas['SplitOut'] | null>(null)
const now = computed(() => (void plant.live.version, nowOf(plant, props.point)))
const shunt = computed(
  () => (void plant.list.version, plant.list.text('shunt_ohm', plant.list.row(props.point) ?? -1)),
)
const number = (text: string) => (text.trim() ? Number(text.replace(',', '.')) : Number.NaN)

async function split() {
  const counts = now.value.reading?.counts
  const [a, m, v] = [number(asked.value), number(measured.value), number(volts.value)]
  if (Number.isNaN(a) || Number.isNaN(m) || counts == null)
    return (says.value = 'both currents are numbers, and a count must be read')
  const answer = await ask(
    api.POST('/api/points/{point}/check/split', {
      params: { path: { point: props.point } },
      body: { asked_ma: a, measured_ma: m, volts: Number.isNaN(v) ? null : v, counts },
    }),
  )
  says.value = answer.problem ? said(answer.problem) : ''
  found.value = answer.data ?? null
}
const percent = (x: number | null | undefined) =>
  x == null ? 'cannot be told' : `${x > 0 ? '+' : ''}${figure(x, 3)} %`

const box = ref<HTMLElement | null>(null)
useEscape(() => open.value, () => (open.value = false), box) // prettier-ignore
</script>

<template>
  <section>
    <h2>
      <v-btn class="mini" :aria-expanded="open" @click="open = !open"> whose error is it? </v-btn>
    </h2>
    <form v-if="open" ref="box" @submit.prevent="split">
      <label class="field"
        >source set to <DenseField v-model="asked" class="figure" placeholder="mA" required
      /></label>
      <label class="field"
        >meter says <DenseField v-model="measured" class="figure" placeholder="mA" required
      /></label>
      <label v-if="shunt" class="field"
        >over {{ shunt }} Ω <DenseField v-model="volts" class="figure" placeholder="V"
      /></label>
      <v-btn class="act" type="submit">with the count that is read now</v-btn>
      <dl v-if="found">
        <dt>source</dt>
        <dd class="figure">{{ percent(found.source) }}</dd>
        <template v-if="shunt">
          <dt>shunt</dt>
          <dd class="figure">{{ percent(found.shunt) }}</dd>
        </template>
        <dt>channel</dt>
        <dd class="figure">{{ percent(found.channel) }}</dd>
      </dl>
      <p v-if="found">
        <b>{{ found.says }}</b>
      </p>
      <p v-if="says" class="bad">■ {{ says }}</p>
    </form>
  </section>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 72px 1fr;
  margin: 6px 0;
}

dd {
  margin: 0;
}
</style>
