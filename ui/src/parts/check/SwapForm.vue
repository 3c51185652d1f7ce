<script setup lang="ts">
/** Another device in the old one's place: what is to be set in it, and signed, so that its drift begins anew. */
import { ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import DenseField from '../../kit/DenseField.vue'
import { usePlant } from '../../plant/store'

const props = defineProps<{ point: number }>()
const emit = defineEmits<{ signed: [Schemas['RecordOut']] }>()
const plant = usePlant()
const offer = shallowRef<Schemas['SwapOut'] | null>(null)
const says = ref('')
const form = ref({ serial: '', like_for_like: true, model: '', why: '', name: '', password: '' })
const path = () => ({ params: { path: { point: props.point } } })

async function open(event: Event) {
  if (!(event.target as HTMLDetailsElement).open) return
  const answer = await ask(api.GET('/api/points/{point}/swap', path()))
  if (answer.problem) says.value = said(answer.problem)
  else offer.value = answer.data
}

async function sign() {
  const answer = await ask(api.POST('/api/points/{point}/swap', { ...path(), body: form.value }))
  form.value.password = ''
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  form.value = { ...form.value, serial: '', why: '' }
  emit('signed', answer.data)
}
</script>

<template>
  <details @toggle="open">
    <summary>another device…</summary>
    <p v-if="offer" class="small">
      serial now <b class="figure">{{ offer.serial || 'not known' }}</b>
      <template v-if="offer.settings.length"> · to be set in the new one:</template>
    </p>
    <p v-for="s in offer?.settings" :key="s.name" class="small">
      {{ s.label }} <b class="figure">{{ s.text }}</b>
    </p>
    <form v-if="offer && plant.may('edit')" @submit.prevent="sign">
      <label class="field">serial <DenseField v-model="form.serial" maxlength="60" required /></label>
      <v-checkbox v-model="form.like_for_like" label="like for like" />
      <label v-if="!form.like_for_like" class="field"
        >model <DenseField v-model="form.model" maxlength="60"
      /></label>
      <label class="field">why <DenseField v-model="form.why" maxlength="400" required /></label>
      <label class="field"
        >name <DenseField v-model="form.name" maxlength="80" autocomplete="name" required
      /></label>
      <label class="field"
        >password
        <DenseField
          v-model="form.password"
          type="password"
          maxlength="200"
          autocomplete="current-password"
          required
      /></label>
      <v-btn class="act" type="submit">sign the exchange</v-btn>
    </form>
    <p v-if="says" class="bad small" role="status">■ {{ says }}</p>
  </details>
</template>

<style scoped>
p {
  margin: 2px 0;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
