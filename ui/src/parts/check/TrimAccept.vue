<script setup lang="ts">
/** Accepting what was found: with which instrument, by whom; signed, and in use from the next reading on. */
import { ref } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import DenseField from '../../kit/DenseField.vue'
import { usePlant } from '../../plant/store'
import InstrumentFields from './InstrumentFields.vue'
import { remember, remembered } from './instrument'

const props = defineProps<{
  point: number
  captures: Schemas['CaptureIn'][]
  seq: number
  acceptable: boolean
}>()
const emit = defineEmits<{ accepted: [Schemas['RecordOut']]; says: [string] }>()
const plant = usePlant()
const instrument = ref(remembered())
const name = ref(localStorage.getItem('canaleta-signer') ?? '')
const password = ref('')
const note = ref('')
const busy = ref(false)

async function accept() {
  busy.value = true
  remember(instrument.value)
  localStorage.setItem('canaleta-signer', name.value)
  const answer = await ask(
    api.POST('/api/points/{point}/trim', {
      params: { path: { point: props.point } },
      body: { captures: props.captures, seq: props.seq, name: name.value, password: password.value, note: note.value, ...instrument.value },
    }), // prettier-ignore
  )
  busy.value = false
  password.value = ''
  if (answer.problem) emit('says', [said(answer.problem), answer.problem.detail].filter(Boolean).join(' · '))
  else emit('accepted', answer.data)
}
</script>

<template>
  <form @submit.prevent="accept">
    <InstrumentFields v-model="instrument" />
    <label class="field">note <DenseField v-model="note" maxlength="400" /></label>
    <label class="field"
      >name <DenseField v-model="name" required maxlength="80" autocomplete="name"
    /></label>
    <label class="field"
      >your password once more
      <DenseField v-model="password" type="password" required maxlength="200" autocomplete="current-password"
    /></label>
    <v-btn class="act main" type="submit" :disabled="busy || !acceptable || !plant.may('edit')"
      >accept the found pair</v-btn
    >
    <p class="quiet small">
      It acts at once: the next reading is scaled by it. The data sheet's pair stays beside it.
    </p>
  </form>
</template>
