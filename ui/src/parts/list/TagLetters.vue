<script setup lang="ts">
/** A tag put together of its letters: what is measured, what the device is; with what they say, and the next free tag. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import { each } from '../../kit/each'

const emit = defineEmits<{ tag: [tag: string] }>()
const there = shallowRef<Schemas['LettersOut'] | null>(null)
const parts = ref({ own: '', variable: '', modifier: '', function: '', level: '' })
const said = shallowRef<Schemas['MeaningOut'] | null>(null)

onMounted(async () => {
  const answer = await ask(api.GET('/api/tag-letters'))
  if (answer.data) there.value = answer.data
})

const letters = computed(() => {
  const { own, variable, modifier, function: what, level } = parts.value
  return own || (variable && what ? variable + modifier + what + level : '')
})
const CHOICES = computed(() => [
  { part: 'variable' as const, label: 'measured', of: there.value?.variables },
  { part: 'modifier' as const, label: 'of it', of: there.value?.modifiers },
  { part: 'function' as const, label: 'device', of: there.value?.functions },
  { part: 'level' as const, label: 'at', of: there.value?.levels },
])

let asked = 0
watch(letters, async (now) => {
  said.value = null
  if (!now) return
  const mine = ++asked
  const answer = await ask(api.GET('/api/tag-letters/meaning', { params: { query: { letters: now } } }))
  if (mine !== asked || !answer.data) return
  said.value = answer.data
  emit('tag', answer.data.tag)
})
</script>

<template>
  <details class="small">
    <summary>put the letters together</summary>
    <p v-for="choice in CHOICES" :key="choice.part" class="field">
      <span>{{ choice.label }}</span>
      <ChoiceField
        v-model="parts[choice.part]"
        :aria-label="choice.label"
        :disabled="!!parts.own"
        :items="[
          { value: '', title: choice.part === 'variable' || choice.part === 'function' ? 'choose' : 'none' },
          ...each(choice.of, (word, letter) => ({ value: letter, title: `${letter} ${word}` })),
        ]"
      />
    </p>
    <p v-if="Object.keys(there?.own ?? {}).length" class="field">
      <span>the plant’s own</span>
      <ChoiceField
        v-model="parts.own"
        aria-label="the plant’s own"
        :items="[
          { value: '', title: 'none' },
          ...each(there?.own, (word, group) => ({ value: group, title: `${group} ${word}` })),
        ]"
      />
    </p>
    <p v-if="said" role="status">
      <span class="figure">{{ letters }}</span> {{ said.meaning || 'says nothing by ISA-5.1' }}
    </p>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
}
</style>
