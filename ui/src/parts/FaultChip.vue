<script setup lang="ts">
/** What would be read if something were wrong in the field: a fault for the what-if of this path. */
import { computed, nextTick, ref } from 'vue'
import type { Schemas } from '../api/client'
import type { StationName, WhatIf } from '../plant/usePath'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'

const props = defineProps<{
  sheet: Schemas['SheetOut']
  path: Schemas['PathOut']
  whatIf: WhatIf | null
}>()
const emit = defineEmits<{ give: [station: StationName, text: string, fault: string, amount: string] }>()
const open = ref(false)
const kind = ref('')
const amount = ref('')
const list = ref<HTMLElement | null>(null)
const chosen = computed(() => props.sheet.faults.find((f) => f.name === kind.value))

async function toggle() {
  open.value = !open.value
  kind.value = props.whatIf?.fault ?? ''
  amount.value = props.whatIf?.amount ?? ''
  if (open.value) await nextTick(() => list.value?.querySelector('button')?.focus())
}

/** Faults sit behind the device: the figure they meet is what was typed before them, or what is in the pipe now. */
function start(): { station: StationName; text: string } {
  const now = props.whatIf
  if (now && (now.station === 'PROCESS' || now.station === 'DEVICE')) return now
  const process = props.path.stations[0]?.figure
  if (process) return { station: 'PROCESS', text: process }
  const middle = props.sheet.check_points.find((row) => row.share === 50)
  return props.sheet.family === 'contact' || !middle
    ? { station: 'PROCESS', text: props.sheet.family === 'contact' ? 'acted upon' : '0' }
    : props.sheet.family === 'linear'
      ? { station: 'DEVICE', text: '50' }
      : { station: 'PROCESS', text: middle.figures[0] ?? '0' }
}

function choose(name: string) {
  kind.value = name
  const found = props.sheet.faults.find((f) => f.name === name)
  amount.value = found?.usual ?? ''
  if (found && !found.amount) give()
}

function give() {
  const { station, text } = start()
  emit('give', station, text, kind.value, chosen.value?.amount ? amount.value : '')
  open.value = false
}

function mend() {
  const { station, text } = start()
  emit('give', station, text, '', '')
  open.value = false
}

const box = ref<HTMLElement | null>(null)
useEscape(() => open.value, () => (open.value = false), box) // prettier-ignore
</script>

<template>
  <v-btn
    v-tip="'what would be read if something were wrong'"
    class="chip"
    :class="{ 'apart on': whatIf?.fault }"
    :disabled="!sheet.faults.length"
    @click="toggle"
  >
    what if wrong…
  </v-btn>
  <form v-if="open" ref="box" class="panel faults" @submit.prevent="give">
    <p>suppose that:</p>
    <div ref="list" class="kinds">
      <v-btn
        v-for="fault in sheet.faults"
        :key="fault.name"
        v-tip="fault.says"
        class="act"
        :class="{ main: fault.name === kind }"
        @click="choose(fault.name)"
      >
        {{ fault.says }}
      </v-btn>
    </div>
    <p v-if="chosen?.amount" class="amount">
      <ChoiceField
        v-if="chosen.choices.length"
        v-model="amount"
        :aria-label="chosen.says"
        :items="chosen.choices"
      />
      <template v-else>
        <DenseField v-model="amount" class="figure" :aria-label="chosen.says" />
        <span class="quiet">{{ chosen.amount }}</span>
      </template>
      <v-btn class="act main" type="submit">see it</v-btn>
    </p>
    <v-btn v-if="whatIf?.fault" class="act" @click="mend">all is well again</v-btn>
  </form>
</template>

<style scoped>
.faults {
  position: absolute;
  top: 28px;
  right: 0;
  z-index: 9;
  width: 360px;
  padding: 10px 12px;
  box-shadow: 0 4px 16px rgb(0 0 0 / 25%);
}

.kinds {
  display: grid;
  gap: 4px;
  margin-bottom: 8px;
}

.kinds .act {
  text-align: left;
}

p {
  margin: 0 0 6px;
}

.amount {
  display: flex;
  gap: 8px;
  align-items: center;
}

input,
select {
  width: 110px;
  padding: 3px 6px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: 3px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
}
</style>
