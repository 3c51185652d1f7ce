<script setup lang="ts">
/** Where the figures come from: what-if, live or injected; always named, one at a time. */
import { nextTick, ref } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { age } from '../plant/words'
import type { WhatIf } from '../plant/usePath'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'
import type { FieldHandle } from '../kit/focus'

const props = defineProps<{
  path: Schemas['PathOut']
  whatIf: WhatIf | null
  injectable: string
  trips: string[]
  contact: boolean
  stale: boolean
}>()
const emit = defineEmits<{ live: [] }>()
const plant = usePlant()
const open = ref(false)
const text = ref('')
const says = ref('')
const busy = ref(false)
const input = ref<FieldHandle | null>(null)

async function toggle() {
  open.value = !open.value
  says.value = ''
  if (open.value) await nextTick(() => input.value?.focus())
}

/** A button that is shut until something is typed would swallow an Enter that comes too fast. */
function submit() {
  if (text.value.trim()) void put(text.value)
  else says.value = `type a signal in ${props.injectable}`
}

async function put(signal: string) {
  busy.value = true
  const answer = await ask(
    api.PUT('/api/points/{point}/injection', {
      params: { path: { point: props.path.point } },
      body: { text: signal },
    }),
  )
  busy.value = false
  if (answer.problem) says.value = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
  else {
    open.value = false
    emit('live')
  }
}

const box = ref<HTMLElement | null>(null)
useEscape(() => open.value, () => (open.value = false), box) // prettier-ignore
</script>

<template>
  <div class="sources">
    <span v-if="whatIf" v-tip="path.fault" class="chip apart on"
      >◇ what-if: {{ whatIf.text }} at {{ whatIf.station
      }}<template v-if="path.fault">, {{ path.fault }}</template></span
    >
    <slot />
    <v-btn
      v-tip="'Esc'"
      class="chip"
      :class="{ on: !whatIf && !path.injected, stale: !whatIf && stale }"
      @click="emit('live')"
    >
      live<template v-if="!whatIf && path.age_s !== null"
        >, {{ stale ? `stale ${age(path.age_s ?? 0)}` : 'now' }}</template
      >
    </v-btn>
    <v-btn
      v-tip="
        plant.may('inject') ? 'put a signal on the terminals of the stand-in' : 'a reader may not inject'
      "
      class="chip"
      :class="{ apart: path.injected, on: path.injected }"
      :disabled="!injectable || !plant.may('inject')"
      @click="toggle"
    >
      {{ path.injected ? '◇ injected' : 'inject…' }}
    </v-btn>
    <form v-if="open" ref="box" class="panel inject" @submit.prevent="submit">
      <p v-for="line in trips" :key="line" class="trips">▲ {{ line }}</p>
      <p>put on the terminals, as a signal source would:</p>
      <template v-if="contact">
        <v-btn class="act" :disabled="busy" @click="put('closed')">closed</v-btn>
        <v-btn class="act" :disabled="busy" @click="put('open')">open</v-btn>
      </template>
      <DenseField
        v-else
        ref="input"
        v-model="text"
        class="figure"
        :placeholder="injectable"
        :aria-label="`signal in ${injectable}`"
      />
      <span v-if="!contact" class="quiet">{{ injectable }}</span>
      <v-btn v-if="!contact" class="act main" type="submit" :disabled="busy">put it on</v-btn>
      <v-btn class="act" :disabled="busy || !path.injected" @click="put('')"> take it off </v-btn>
      <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    </form>
  </div>
</template>

<style scoped>
.sources {
  position: relative;
  display: flex;
  gap: 6px;
}

.inject {
  position: absolute;
  top: 28px;
  right: 0;
  z-index: 9;
  width: 330px;
  padding: 10px 12px;
  box-shadow: 0 4px 16px rgb(0 0 0 / 25%);
}

.inject .trips {
  color: rgb(var(--v-theme-settle));
}

.inject p {
  margin: 0 0 6px;
}

.inject > * + .act {
  margin-left: 6px;
}

input {
  width: 90px;
  padding: 3px 6px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: 3px;
  background: none;
  color: inherit;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
