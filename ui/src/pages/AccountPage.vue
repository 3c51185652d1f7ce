<script setup lang="ts">
/** One's own account: set a password, sign out. */
import { ref } from 'vue'
import { ask, api, said } from '../api/client'
import PeoplePanel from '../parts/PeoplePanel.vue'
import SessionsPanel from '../parts/SessionsPanel.vue'
import { useEscape } from '../plant/escape'
import { usePlant } from '../plant/store'

const plant = usePlant()
const password = ref('')
const old = ref('')
const says = ref('')
const RIGHTS: Record<string, string> = {
  read: 'see everything',
  look: 'work out paths that are not in the list',
  self: 'change your own password',
  edit: 'change the list',
  inject: 'put signals on terminals of stand-in racks',
  engineer: 'change hardware and the plant’s rules, write to racks, put up and sign issues of the list',
  administer: 'manage accounts and sessions',
}

const asking = ref(false)
useEscape(() => asking.value, () => (asking.value = false)) // prettier-ignore
const mine = ref(0)
/** Whoever holds something is asked before leaving: nobody else may know of it. */
async function leave() {
  const log = asking.value ? null : await ask(api.GET('/api/temporary'))
  mine.value = (log?.data?.open ?? []).filter((t) => t.who === plant.session?.account).length
  if (mine.value) asking.value = true
  else void plant.leave()
}

async function change() {
  const answer = await ask(
    api.PUT('/api/session/password', { body: { password: password.value, old: old.value } }),
  )
  says.value = answer.problem
    ? said(answer.problem)
    : 'the new password holds from now on; every other session of yours has ended'
  if (answer.data) password.value = old.value = ''
}
</script>

<template>
  <section class="account">
    <h1>
      {{ plant.session?.account }} <span class="quiet">{{ plant.session?.role }}</span>
    </h1>
    <div class="two">
      <div>
        <div class="panel">
          <h2>you may</h2>
          <ul>
            <li v-for="right in plant.session?.rights" :key="right">{{ RIGHTS[right] ?? right }}</li>
          </ul>
        </div>
        <form class="panel" @submit.prevent="change">
          <h2>a password of your own</h2>
          <v-text-field
            v-if="plant.session?.asks_old"
            v-model="old"
            label="the password that holds now"
            type="password"
            autocomplete="current-password"
          />
          <v-text-field
            v-model="password"
            label="new password, at least ten characters"
            type="password"
            autocomplete="new-password"
          />
          <p v-if="says" role="status">{{ says }}</p>
          <v-btn class="act main" type="submit">set it</v-btn>
        </form>
        <p v-if="asking" role="alert">
          ▲ {{ mine }} temporary change{{ mine > 1 ? 's' : '' }} of yours {{ mine > 1 ? 'are' : 'is' }} open:
          <router-link to="/temporary">put back first</router-link>, or sign out all the same
        </p>
        <v-btn class="act" @click="leave">
          {{ asking ? 'sign out all the same' : 'sign out' }}
        </v-btn>
      </div>
      <div>
        <PeoplePanel v-if="plant.may('administer')" />
        <SessionsPanel />
      </div>
    </div>
  </section>
</template>

<style scoped>
.account {
  height: 100%;
  padding: 14px 20px;
  overflow: auto;
}

.two {
  display: grid;
  grid-template-columns: 440px minmax(0, 640px);
  gap: 14px;
  align-items: start;
}

@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}

.two > div {
  display: grid;
  gap: 14px;
}

h1 {
  margin-bottom: 10px;
  font-size: 17px;
}

.account :deep(.panel) {
  padding: 10px 14px;
}

.account :deep(h2) {
  margin: 0 0 6px;
  font-size: 14px;
}

.account :deep(p) {
  margin: 0 0 4px;
}

.two > div > .act {
  justify-self: start;
}

form .act {
  margin-top: 8px;
}

ul {
  margin: 0;
  padding-left: 18px;
}
</style>
