<script setup lang="ts">
/** One question about a list: what is open, on which rows, and the likeliest readings, each on a key. */
import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { isTyping } from '../../kit/typing'

const props = defineProps<{
  question: Schemas['FileQuestion']
  /** Its place among those that are asked, from 1, and how many they are, with those that wait. */
  number: number
  of: number
  busy: boolean
}>()
const emit = defineEmits<{ answer: [reading: string]; next: [] }>()
const LEFT_OUT = 'left out'

const readings = computed(() => props.question.readings)

useEventListener('keydown', (event: KeyboardEvent) => {
  if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey || props.busy) return
  const number = Number(event.key)
  if (event.key === '0') emit('answer', LEFT_OUT)
  else if (number >= 1 && number <= readings.value.length) emit('answer', readings.value[number - 1]!.answer)
  else if (event.key === 'ArrowRight' && props.of > 1 && event.target === document.body) emit('next')
  else return
  event.preventDefault()
})
</script>

<template>
  <section class="card question" aria-live="polite">
    <p class="quiet small">question {{ number }} of {{ of }}</p>
    <h2>{{ question.says }}</h2>
    <p v-if="question.heading && question.code !== 'column'">
      in <b class="figure">{{ question.heading }}</b>
    </p>
    <p class="small">
      {{ question.rows }} row{{ question.rows === 1 ? '' : 's' }}, such as
      <span v-for="example in question.examples" :key="example" class="example figure">{{ example }}</span>
    </p>
    <ol>
      <li v-for="(reading, at) in readings" :key="reading.answer">
        <v-btn class="act reading" :disabled="busy" @click="emit('answer', reading.answer)">
          <kbd>{{ at + 1 }}</kbd> {{ reading.says }}
        </v-btn>
      </li>
      <li>
        <v-btn class="act reading" :disabled="busy" @click="emit('answer', LEFT_OUT)">
          <kbd>0</kbd> leave it out
        </v-btn>
      </li>
    </ol>
    <p class="small quiet">
      Until it is answered, these cells stay out.
      <v-btn v-if="of > 1" class="mini" @click="emit('next')">another question →</v-btn>
    </p>
  </section>
</template>

<style scoped>
.question {
  border-left-color: rgb(var(--v-theme-settle));
}

h2 {
  margin: 2px 0 4px;
  font-size: 14px;
}

p {
  margin: 0 0 4px;
}

ol {
  display: grid;
  gap: 4px;
  margin: 6px 0;
  padding: 0;
  list-style: none;
}

.reading {
  justify-content: flex-start;
  width: 100%;
  height: auto;
  white-space: normal;
  text-align: left;
}

.example {
  margin-right: 8px;
  padding: 0 4px;
  background: rgb(var(--v-theme-settle-wash));
}

kbd {
  margin-right: 6px;
  padding: 0 5px;
  border: 1px solid currentcolor;
  border-radius: 3px;
  font-family: var(--mono);
  font-size: 11px;
}
</style>
