<script setup lang="ts">
/** Five short steps for who is here for the first time: a line on top of the page, left at once by one press. */
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useStorage } from '@vueuse/core'
import { useBar } from './bar'
import { usePlant } from '../plant/store'

const router = useRouter()
const bar = useBar()
const plant = usePlant()
const seen = useStorage('canaleta-first-steps', false)
const at = ref(0)
const first = computed(() => plant.list.ids.find(Boolean) ?? 0)
const STEPS = computed(() => [
  { to: '/list', says: 'Every point of the plant is a row, from the pipe on the left to the value on the right. Arrows move, typing edits, / finds.' },
  { to: `/point/${first.value}`, says: 'One row unfolded: six stations. Type a figure at any of them, and all the others say what follows.' },
  { to: '/findings', says: 'What does not agree is told here with what it costs, and how it is settled in one press.' },
  { to: '/cabinets', says: 'Where each point lands: hold one, and the channels that can take it light up.' },
  { to: '/live', says: 'What the plant says now. Ctrl+K is the way to everything else, “?” explains the page one is on.' },
]) // prettier-ignore
const open = ref(!seen.value && plant.list.length > 0)

function go(to: number) {
  if (to >= STEPS.value.length) return leave()
  at.value = to
  void router.push(STEPS.value[to]!.to)
}
function leave() {
  open.value = false
  seen.value = true
}
watch(
  () => bar.tour,
  () => {
    open.value = true
    go(0)
  },
)
</script>

<template>
  <aside v-if="open" class="steps" aria-label="first steps">
    <b class="figure">{{ at + 1 }} of {{ STEPS.length }}</b>
    <span role="status">{{ STEPS[at]!.says }}</span>
    <span class="gap" />
    <v-btn v-if="at" class="act" @click="go(at - 1)">back</v-btn>
    <v-btn class="act main" @click="go(at + 1)">{{ at + 1 < STEPS.length ? 'next' : 'done' }}</v-btn>
    <v-btn class="act" @click="leave">leave</v-btn>
  </aside>
</template>

<style scoped>
.steps {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 5px 14px;
  border-bottom: 2px solid rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-copper-wash));
}

.steps b {
  white-space: nowrap;
}

.gap {
  flex: 1;
}

@media (max-width: 760px) {
  .steps {
    flex-wrap: wrap;
  }
}
</style>
