<script setup lang="ts">
/** The dossier of a system or of the plant: asked for, told how far it is, fetched. */
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import { usePlant } from '../../plant/store'
import { clock } from '../../plant/words'

const plant = usePlant()
const told = shallowRef<Schemas['DossiersOut'] | null>(null)
const system = ref('')
const form = ref<'pdf' | 'zip'>('pdf')
const name = ref('')
const password = ref('')
const says = ref('')

async function load() {
  const answer = await ask(api.GET('/api/dossiers'))
  if (answer.data) told.value = answer.data
}
onMounted(load)
const works = computed(() => told.value?.dossiers.some((d) => d.state === 'works') ?? false)
useIntervalFn(() => works.value && void load(), 1000)

const systems = computed(() => [
  { value: '', title: 'the whole plant' },
  ...Object.entries(told.value?.systems ?? {}).map(([value, n]) => ({
    value,
    title: `${value}, ${n} points`,
  })),
])

async function askFor() {
  const body = { system: system.value, form: form.value, name: name.value, password: password.value }
  const answer = await ask(api.POST('/api/dossiers', { body }))
  password.value = ''
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  await load()
}
</script>

<template>
  <div class="panel">
    <h2>hand over a dossier</h2>
    <p class="quiet">
      The list at its issue, loop sheets with drawings, every record with its photos, instruments, punch list,
      temporary changes, findings and why they were accepted, and the hash of each: one PDF/A signed by the
      plant, or the same as files. <span class="figure">./canaleta verify FILE</span> proves it.
    </p>
    <form v-if="plant.may('edit')" class="keys" @submit.prevent="askFor">
      <ChoiceField v-model="system" aria-label="of what" :items="systems" />
      <ChoiceField
        v-model="form"
        aria-label="as what"
        :items="[
          { value: 'pdf', title: 'one PDF/A' },
          { value: 'zip', title: 'files, ZIP' },
        ]"
      />
      <DenseField
        v-model="name"
        size="14"
        placeholder="your name"
        aria-label="your name"
        maxlength="80"
        required
      />
      <DenseField
        v-model="password"
        type="password"
        size="20"
        placeholder="password once more"
        aria-label="your password once more"
        maxlength="200"
        autocomplete="current-password"
        required
      />
      <v-btn class="act main" type="submit">make it</v-btn>
    </form>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <p v-for="d in told?.dossiers.slice(0, 5)" :key="d.id" class="small">
      {{ d.system || 'the whole plant' }}, {{ d.form }}, {{ d.name }} {{ clock(d.at) }}:
      <a v-if="d.there" v-tip="`SHA-256 ${d.hash}`" :href="`/api/dossiers/${d.id}/file`" download>fetch it</a>
      <span v-else-if="d.state === 'works'" role="status"
        ><v-progress-linear :model-value="100 * d.done" color="primary" /> {{ Math.round(100 * d.done) }} %,
        {{ d.says }}</span
      >
      <span v-else :class="{ bad: d.state === 'failed' }">{{
        d.says || 'no longer there: ask for it again'
      }}</span>
    </p>
  </div>
</template>

<style scoped>
.panel {
  padding: 12px 16px;
}

h2 {
  margin: 0 0 6px;
  font-size: 14px;
}

.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
