<script setup lang="ts">
/** A table of the manual, pasted as it stands there; what it gives, what was guessed, and what was left out. */
import { useDebounceFn } from '@vueuse/core'
import { ref, shallowRef } from 'vue'
import { api, ask, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import FormPart from '../../kit/FormPart.vue'
import { latest } from '../../plant/latest'
import { STYLES, TABLES, type Style, type TableName } from './places'
import { takenIn, type TypeBody } from './typeBody'

type What = 'modes' | 'registers' | 'bits'
const body = defineModel<TypeBody>({ required: true })
const KINDS: { value: What; title: string }[] = [
  { value: 'modes', title: 'of the ways a channel works' },
  { value: 'registers', title: 'of its registers' },
  { value: 'bits', title: 'of the bits of its status' },
]
const what = ref<What>('registers')
const table = ref<TableName>('input registers')
const text = ref('')
const found = shallowRef<Schemas['ManualOut'] | null>(null)
const wrong = ref('')

const read = latest(async () => {
  const asked = {
    what: what.value,
    text: text.value,
    numbering: (body.value.numbering ?? 'from 0') as Style,
    table: table.value,
    base: (body.value.status_words?.[0]?.bit_base ?? 0) as 0 | 1,
    channels: 0,
  }
  const answer = await ask(api.POST('/api/module-types/manual', { body: asked }))
  wrong.value = answer.problem?.title ?? ''
  found.value = answer.data ?? null
})

/** Not with every key: a table may be long. */
const readSoon = useDebounceFn(read, 200)

function take() {
  if (!found.value) return
  body.value = takenIn(body.value, what.value, found.value)
  text.value = ''
  found.value = null
}

const NAMES: Record<string, string> = {
  registers: 'run',
  status_words: 'status word',
  modes: 'way',
  bits: 'bit',
}
const many = (name: string, n: number) => `${n} ${NAMES[name] ?? name}${n === 1 ? '' : 's'}`
const count = (parts: Record<string, unknown>) =>
  Object.entries(parts)
    .filter(([, part]) => Array.isArray(part) && part.length)
    .map(([name, part]) => many(name, (part as unknown[]).length))
    .join(', ')
</script>

<template>
  <FormPart title="the manual: how it counts, and its tables" class="paste">
    <label
      >it writes places
      <ChoiceField
        :model-value="(body.numbering ?? 'from 0') as Style"
        :items="STYLES"
        aria-label="how the manual counts places"
        @update:model-value="((body.numbering = $event), read())"
    /></label>
    <label
      >paste its table <ChoiceField v-model="what" :items="KINDS" aria-label="which table of the manual"
    /></label>
    <label v-if="what === 'registers'"
      >in the <ChoiceField v-model="table" :items="TABLES" aria-label="where places stand that do not say it"
    /></label>
    <v-textarea
      v-model="text"
      class="figure"
      rows="5"
      spellcheck="false"
      aria-label="the table as it stands in the manual"
      placeholder="one line each, cells apart by tabs, bars or wide gaps"
      @update:model-value="readSoon"
    ></v-textarea>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <template v-if="found && text.trim()">
      <p role="status">
        {{ count(found.parts) || 'nothing of it could be read' }}
        <v-btn class="act main" :disabled="!count(found.parts)" @click="take">take it in</v-btn>
      </p>
      <p v-for="trouble in found.troubles" :key="trouble.line" class="settle small">
        ▲ line {{ trouble.line }} is left out: {{ trouble.says }}
        <span class="quiet">{{ trouble.text }}</span>
      </p>
      <p v-for="guess in found.guesses" :key="guess" class="small quiet">guessed: {{ guess }}</p>
    </template>
  </FormPart>
</template>

<style scoped>
label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  margin: 0 12px 4px 0;
}

.paste :deep(textarea) {
  font-size: 12px;
}

p {
  margin: 4px 0;
}
</style>
