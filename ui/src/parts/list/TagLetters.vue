<script setup lang="ts">
/** A tag put together of its letters: what is measured, what the device is; with what they say, and the next free tag. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'

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
      <select v-model="parts[choice.part]" :aria-label="choice.label" :disabled="!!parts.own">
        <option value="">
          {{ choice.part === 'variable' || choice.part === 'function' ? 'choose' : 'none' }}
        </option>
        <option v-for="(word, letter) in choice.of" :key="letter" :value="letter">
          {{ letter }} {{ word }}
        </option>
      </select>
    </p>
    <p v-if="Object.keys(there?.own ?? {}).length" class="field">
      <span>the plant’s own</span>
      <select v-model="parts.own" aria-label="the plant’s own">
        <option value="">none</option>
        <option v-for="(word, group) in there?.own" :key="group" :value="group">
          {{ group }} {{ word }}
        </option>
      </select>
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
