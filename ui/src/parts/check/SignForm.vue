<script setup lang="ts">
/** Signing a loop check: instrument, how the loop stood, a remark, a photo if there is one, and a name. */
import { ref, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import FilePick from '../../kit/FilePick.vue'
import { smallJpeg } from '../../kit/photo'
import InstrumentFields from './InstrumentFields.vue'
import { remember, remembered } from './instrument'

const props = defineProps<{
  point: number
  body: {
    readings: Schemas['ReadIn'][]
    seq: number
    open_wire: Record<string, string>
    test?: Schemas['CheckOut']['test']
    runs?: number
  }
  /** How many figures look mistyped: whoever signs says that they were read so. */
  doubts?: number
  complete: boolean
  trips: boolean
}>()
const emit = defineEmits<{ signed: [Schemas['RecordOut']]; says: [string]; instrument: [] }>()
const plant = usePlant()
const name = ref('')
const password = ref('')
const instrument = ref(remembered())
const inhibited = ref(false)
const note = ref('')
const phase = ref<'' | 'as found' | 'as left'>('')
const photo = ref('')
const doubtsSeen = ref(false)
watch(() => props.doubts, () => (doubtsSeen.value = false)) // prettier-ignore
const busy = ref(false)

// Kept at once: what a reading is worth depends on it.
watch(instrument, (now) => {
  remember(now)
  emit('instrument')
})

async function take(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  photo.value = ''
  if (!file) return
  try {
    photo.value = await smallJpeg(file)
  } catch {
    emit('says', `“${file.name}” is no picture that this browser can read`)
  }
}

async function sign() {
  busy.value = true
  const answer = await ask(
    api.POST('/api/points/{point}/check/sign', {
      params: { path: { point: props.point } },
      body: {
        ...props.body, name: name.value, password: password.value, ...instrument.value,
        inhibited: inhibited.value, note: note.value, phase: phase.value, photo: photo.value, doubts_seen: doubtsSeen.value,
        open_wire: Object.fromEntries(Object.entries(props.body.open_wire).filter(([, v]) => v)),
      }, // prettier-ignore
    }),
  )
  busy.value = false
  password.value = ''
  if (answer.problem) emit('says', [said(answer.problem), answer.problem.detail].filter(Boolean).join(' · '))
  else emit('signed', answer.data)
}
</script>

<template>
  <section>
    <h2>signed by</h2>
    <form @submit.prevent="sign">
      <InstrumentFields v-model="instrument" />
      <label class="field"
        >the loop
        <ChoiceField v-model="phase" :items="[{ value: '', title: 'as it is' }, 'as found', 'as left']"
      /></label>
      <label class="field">note <DenseField v-model="note" maxlength="400" /></label>
      <div class="field">
        photo
        <span>
          <FilePick class="mini" accept="image/*" capture="environment" aria-label="photo" @change="take">{{
            photo ? 'another…' : 'take or choose…'
          }}</FilePick>
          <v-btn v-if="photo" class="mini" @click="photo = ''">leave it out</v-btn>
        </span>
      </div>
      <img v-if="photo" :src="`data:image/jpeg;base64,${photo}`" alt="the photo that goes with it" />
      <v-checkbox v-if="doubts" v-model="doubtsSeen" label="figures that are asked about were read so" />
      <v-checkbox v-if="trips" v-model="inhibited" label="it is inhibited, or tripping is agreed on" />
      <label class="field"
        >name <DenseField v-model="name" required maxlength="80" autocomplete="name"
      /></label>
      <label class="field"
        >your password once more
        <DenseField
          v-model="password"
          type="password"
          required
          maxlength="200"
          autocomplete="current-password"
      /></label>
      <v-btn class="act main" type="submit" :disabled="busy || !complete || !plant.may('edit')">sign</v-btn>
      <p class="quiet small">once signed it never changes</p>
    </form>
  </section>
</template>

<style scoped>
img {
  max-width: 100%;
  max-height: 140px;
}
</style>
