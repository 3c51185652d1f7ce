<script setup lang="ts">
/** Hold a point: by a force in the rack where it has a register for it, or in our view alone; or command an output. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Problem, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import SweepPanel from './SweepPanel.vue'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const offer = shallowRef<Schemas['OfferOut'] | null>(null)
const text = ref('')
const why = ref('')
const says = ref('')
const bad = ref(false)
const busy = ref(false)
const held = computed(() =>
  plant.temporary.filter((t) => t.point === props.point && ['force', 'substitute here'].includes(t.kind)),
)

async function load() {
  offer.value =
    (await ask(api.GET('/api/points/{point}/hold', { params: { path: { point: props.point } } }))).data ??
    null
}

const at = () => ({ params: { path: { point: props.point } } })

async function done(answer: { problem?: Problem }, words: string) {
  busy.value = false
  bad.value = !!answer.problem
  says.value = answer.problem ? said(answer.problem) : words
}

async function force() {
  busy.value = true
  await done(
    await ask(
      api.PUT('/api/points/{point}/force', {
        ...at(),
        body: { text: text.value, why: why.value, minutes: 0 },
      }),
    ),
    'held in the rack: the controller sees it',
  )
}

async function substitute() {
  busy.value = true
  await done(
    await ask(
      api.PUT('/api/points/{point}/substitute', {
        ...at(),
        body: { text: text.value, why: why.value, minutes: 0 },
      }),
    ),
    'replaced here: the controller does not see it',
  )
}

async function output() {
  busy.value = true
  const answer = await ask(api.PUT('/api/points/{point}/output', { ...at(), body: { text: text.value } }))
  await done(answer, answer.data?.says ?? '')
  bad.value ||= answer.data?.agrees === false
}

async function release(number: number) {
  busy.value = true
  const answer = await ask(
    api.POST('/api/temporary/{number}/end', { params: { path: { number } }, body: { why: '' } }),
  )
  await done(answer, answer.data?.failed.join('; ') || 'let go')
}

watch(() => props.point, load) // prettier-ignore
onMounted(load)
</script>

<template>
  <section v-if="offer" class="panel side">
    <p v-for="line in offer.trips" :key="line" class="settle">▲ {{ line }}</p>
    <form class="line" @submit.prevent>
      <DenseField
        v-model="text"
        class="figure"
        size="9"
        :placeholder="offer.unit || 'value'"
        aria-label="value to hold"
      />
      <DenseField v-model="why" size="18" placeholder="why" aria-label="why" maxlength="200" />
    </form>
    <div class="keys">
      <v-btn v-if="!offer.output" class="act main" :disabled="busy || !text" @click="output">
        give the output this value
      </v-btn>
      <v-btn
        v-if="!offer.force"
        v-tip="offer.armed_needed ? 'a real rack: writing must be armed in Cabinets' : 'acts in the rack'"
        class="act"
        :disabled="busy || !text || !plant.may('inject')"
        @click="force"
      >
        force in the rack
      </v-btn>
      <v-btn class="act" :disabled="busy || !text || !plant.may('edit')" @click="substitute">
        substitute here
      </v-btn>
    </div>
    <p v-if="offer.on_loss" class="small">{{ offer.on_loss }}</p>
    <p class="quiet small">
      <template v-if="offer.force">no force: {{ offer.force }}. </template>substitute here: the controller
      does not see it
    </p>
    <p v-if="says" role="status" :class="{ bad }">{{ bad ? '■ ' : '' }}{{ says }}</p>
    <ul v-if="held.length">
      <li v-for="t in held" :key="t.id">
        ◇ {{ t.kind }}: {{ t.what }} · {{ t.who }}
        <v-btn class="act" :disabled="busy" @click="release(t.id)">let go</v-btn>
      </li>
    </ul>
    <SweepPanel v-if="!offer.output" :point="point" />
  </section>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  margin-bottom: 6px;
}

.line input {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}

li {
  margin-bottom: 4px;
}
</style>
