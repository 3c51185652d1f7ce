<script setup lang="ts">
/** Accounts of the plant, for administrators: made, given a role, shut out, let in by a one-time link. */
import { onMounted, ref, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { clock } from '../plant/words'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'

const ROLES = ['reader', 'technician', 'engineer', 'administrator'] as const
type Role = (typeof ROLES)[number]
const plant = usePlant()
const all = shallowRef<Schemas['AccountOut'][]>([])
const link = ref('')
const linkFor = ref('')
const says = ref('')
const name = ref('')
const role = ref<Role>('technician')

function take(answer: { data?: Schemas['AccountsOut']; problem?: Schemas['Problem'] }, whom = '') {
  says.value = answer.problem ? [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ') : ''
  if (!answer.data) return
  all.value = answer.data.accounts
  link.value = answer.data.link ? location.origin + answer.data.link : ''
  linkFor.value = whom
}
onMounted(async () => take(await ask(api.GET('/api/accounts'))))

async function add() {
  const whom = name.value.trim()
  take(await ask(api.POST('/api/accounts', { body: { name: whom, role: role.value } })), whom)
  if (!says.value) name.value = ''
}
const change = async (one: Schemas['AccountOut'], body: Schemas['AccountChange']) =>
  take(await ask(api.PUT('/api/accounts/{name}', { params: { path: { name: one.name } }, body })))
const newLink = async (one: Schemas['AccountOut']) =>
  take(await ask(api.POST('/api/accounts/{name}/link', { params: { path: { name: one.name } } })), one.name)
</script>

<template>
  <div class="panel people">
    <h2>people</h2>
    <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    <p v-if="link" role="status">
      one-time sign-in for {{ linkFor }}, for a day:
      <DenseField class="figure link" readonly :model-value="link" aria-label="one-time link" />
    </p>
    <table>
      <tr v-for="one in all" :key="one.name" :class="{ quiet: !one.active }">
        <td class="figure">{{ one.name }}</td>
        <td>
          <ChoiceField
            :model-value="one.role"
            :aria-label="`role of ${one.name}`"
            :items="ROLES"
            @update:model-value="change(one, { role: $event as Role })"
          />
        </td>
        <td class="small quiet">
          {{ one.active ? (one.seen ? `here ${clock(one.seen)}` : 'not signed in') : 'shut out'
          }}{{ one.has_password ? '' : ' · no password yet' }}
        </td>
        <td class="keys">
          <v-btn class="act" :disabled="!one.active" @click="newLink(one)">link</v-btn>
          <v-btn
            v-if="one.name !== plant.session?.account"
            class="act"
            @click="change(one, { active: !one.active })"
          >
            {{ one.active ? 'shut out' : 'let in' }}
          </v-btn>
        </td>
      </tr>
    </table>
    <form class="keys" @submit.prevent="add">
      <DenseField
        v-model="name"
        class="setting figure"
        maxlength="40"
        placeholder="name of a new account"
        aria-label="name of a new account"
      />
      <ChoiceField v-model="role" aria-label="its role" :items="ROLES" />
      <v-btn type="submit" class="act main" :disabled="!name.trim()">add</v-btn>
    </form>
  </div>
</template>

<style scoped>
table {
  width: 100%;
}

td {
  padding: 2px 8px 2px 0;
}

.setting {
  width: 220px;
}

.link {
  width: 100%;
  border: 1px dashed rgb(var(--v-theme-ink));
  background: rgb(var(--v-theme-surface));
  color: inherit;
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.act {
  padding: 0 9px;
}
</style>
