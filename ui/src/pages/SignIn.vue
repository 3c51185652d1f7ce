<script setup lang="ts">
/** Sign-in by name and password. A one-time link is followed before this page is shown. */
import { ref } from 'vue'
import { ask, api, type Schemas } from '../api/client'

defineProps<{ trouble: string }>()
const emit = defineEmits<{ entered: [Schemas['SessionNow']] }>()
const name = ref('')
const password = ref('')
const says = ref('')
const busy = ref(false)

async function enter() {
  if (!name.value || !password.value) {
    says.value = 'type your name and your password'
    return
  }
  busy.value = true
  const answer = await ask(api.POST('/api/session', { body: { name: name.value, password: password.value } }))
  busy.value = false
  if (answer.data) emit('entered', answer.data)
  else says.value = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
}
</script>

<template>
  <div class="door">
    <form class="panel" @submit.prevent="enter">
      <div class="comb" aria-hidden="true"></div>
      <h1>Canaleta</h1>
      <p class="quiet">from the wire to the value</p>
      <p v-if="says || trouble" class="chip bad says" role="alert">{{ says || trouble }}</p>
      <v-text-field v-model="name" label="name" autocomplete="username" autofocus />
      <v-text-field v-model="password" label="password" type="password" autocomplete="current-password" />
      <v-btn class="act main" type="submit" :disabled="busy">sign in</v-btn>
      <p class="quiet small">
        No password yet, or forgotten: on the server, <code>./canaleta user link NAME</code>
      </p>
    </form>
  </div>
</template>

<style scoped>
.door {
  display: grid;
  place-items: center;
  height: 100dvh;
  background: rgb(var(--v-theme-background));
}

form {
  display: grid;
  gap: 12px;
  width: 360px;
  padding: 0 24px 20px;
  overflow: hidden;
}

.comb {
  margin: 0 -24px;
}

h1 {
  margin: 6px 0 -10px;
  font-family: var(--mono);
  font-size: 22px;
  font-weight: 600;
}

p {
  margin: 0;
}

.says {
  white-space: normal;
}
</style>
