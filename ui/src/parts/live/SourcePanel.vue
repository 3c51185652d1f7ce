<script setup lang="ts">
/** Put a signal, or something wrong, on the terminals of a stand-in. What the point can trip is said first. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const offer = shallowRef<Schemas['SourceOut'] | null>(null)
const text = ref('')
const form = ref('fixed')
const high = ref('')
const period = ref(10)
const fault = ref('')
const amount = ref('')
const says = ref('')
const busy = ref(false)
const chosen = computed(() => offer.value?.forms.find((f) => f.name === form.value))
const wrong = computed(() => offer.value?.faults.find((f) => f.name === fault.value))

async function load() {
  offer.value =
    (await ask(api.GET('/api/points/{point}/source', { params: { path: { point: props.point } } }))).data ??
    null
}

async function put(body: Schemas['InjectIn'], done: string) {
  busy.value = true
  const answer = await ask(
    api.PUT('/api/points/{point}/injection', { params: { path: { point: props.point } }, body }),
  )
  busy.value = false
  says.value = answer.problem ? said(answer.problem) : done
}

function signal() {
  void put(
    { text: text.value, form: form.value, high: high.value, period_s: period.value, faults: [] },
    `${text.value} ${offer.value?.unit ?? ''} is on the terminals`,
  )
}

watch(fault, () => (amount.value = wrong.value?.usual ?? ''))
watch(() => props.point, load) // prettier-ignore
onMounted(load)
</script>

<template>
  <section v-if="offer" class="panel side">
    <p v-if="offer.why_not" class="quiet">{{ offer.why_not }}</p>
    <p v-else-if="!plant.may('inject')" class="quiet">a reader puts nothing on terminals</p>
    <template v-else>
      <p v-for="line in offer.trips" :key="line" class="settle">▲ {{ line }}</p>
      <form class="line" @submit.prevent="signal">
        <template v-if="offer.contact">
          <v-btn class="act" :disabled="busy" @click="put({ text: 'closed' }, 'closed')"> closed </v-btn>
          <v-btn class="act" :disabled="busy" @click="put({ text: 'open' }, 'open')"> open </v-btn>
        </template>
        <template v-else>
          <DenseField
            v-model="text"
            class="figure"
            size="8"
            :placeholder="offer.unit"
            aria-label="signal"
            required
          />
          <ChoiceField
            v-model="form"
            v-tip="chosen?.says"
            aria-label="how it moves"
            :items="offer.forms.map((f) => f.name)"
          />
          <template v-if="form !== 'fixed'">
            <label
              >to <DenseField v-model="high" class="figure" size="6" :placeholder="offer.unit" required
            /></label>
            <label>in <DenseField v-model.number="period" type="number" min="0.1" step="0.1" /> s</label>
          </template>
          <v-btn class="act main" type="submit" :disabled="busy">put on</v-btn>
        </template>
        <v-btn class="act" :disabled="busy" @click="put({ text: '' }, 'nothing is put on any more')">
          take off
        </v-btn>
      </form>
      <p v-if="form !== 'fixed' && chosen" class="quiet small">{{ form }}: {{ chosen.says }}</p>
      <form
        class="line"
        @submit.prevent="put({ faults: [{ kind: fault, amount }] }, `${fault}: it is wrong now`)"
      >
        <label
          >or something wrong
          <ChoiceField
            v-model="fault"
            aria-label="what is wrong"
            required
            :items="['', ...offer.faults.map((f) => f.name)]"
        /></label>
        <DenseField
          v-if="wrong?.amount"
          v-model="amount"
          size="7"
          :placeholder="wrong.amount"
          aria-label="how much"
        />
        <v-btn class="act" type="submit" :disabled="!fault || busy">make it so</v-btn>
        <span v-if="wrong" class="quiet small">{{ wrong.says }}</span>
      </form>
      <p v-if="says" role="status">{{ says }}</p>
    </template>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px;
  margin-bottom: 6px;
}

input:not([type='number']) {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

input[type='number'] {
  width: 64px;
}
</style>
