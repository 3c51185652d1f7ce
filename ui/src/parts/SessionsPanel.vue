<script setup lang="ts">
/** Where one is signed in; any of them can be ended. Administrators see everybody's. */
import { onMounted, ref, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { clock } from '../plant/words'

const sessions = shallowRef<Schemas['SessionOut'][]>([])
const says = ref('')

function take(answer: { data?: Schemas['SessionsOut']; problem?: Schemas['Problem'] }) {
  says.value = answer.problem?.title ?? ''
  if (answer.data) sessions.value = answer.data.sessions
}
onMounted(async () => take(await ask(api.GET('/api/sessions'))))
const end = async (key: string) =>
  take(await ask(api.DELETE('/api/sessions/{key}', { params: { path: { key } } })))
</script>

<template>
  <div class="panel">
    <h2>signed in</h2>
    <p v-if="says" class="quiet">{{ says }}</p>
    <p v-for="one in sessions" :key="one.key" class="line">
      <span class="figure">{{ one.account }}</span>
      <span class="quiet small"
        >since {{ clock(one.since) }}, used {{ clock(one.seen) }}{{ one.mine ? ' · this one' : '' }}</span
      >
      <v-btn v-if="!one.mine" class="act" @click="end(one.key)">end</v-btn>
    </p>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  align-items: baseline;
  gap: 10px;
}

.act {
  padding: 0 9px;
}
</style>
