<script setup lang="ts">
/** The records of a point; under another person's one may sign as well. */
import { ref } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import DenseField from '../../kit/DenseField.vue'
import { usePlant } from '../../plant/store'
import { clock } from '../../plant/words'

defineProps<{ records: Schemas['RecordOut'][] }>()
const emit = defineEmits<{ signed: [] }>()
const plant = usePlant()
const at = ref(0)
const second = ref('')
const password = ref('')
const says = ref('')

async function sign() {
  const body = { name: second.value, password: password.value, remark: '' }
  const answer = await ask(
    api.POST('/api/evidence/{number}/countersign', { params: { path: { number: at.value } }, body }),
  )
  password.value = ''
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  plant.say(`record ${at.value} has ${answer.data.signatures.length + 1} signatures`, 'plain')
  at.value = 0
  emit('signed')
}
</script>

<template>
  <section v-if="records.length">
    <h2>records</h2>
    <div v-for="r in records" :key="r.id" class="small">
      <p>
        {{ clock(r.at) }} {{ r.kind }}, {{ r.name }}: {{ r.verdict }}
        <b v-if="!r.sound" class="bad">■ not what was signed</b>
        <a :href="`/api/evidence/${r.id}/pdf`" target="_blank">PDF</a>
        <v-btn
          v-if="plant.may('edit') && r.who !== plant.session?.account && at !== r.id"
          class="mini"
          @click="at = r.id"
          >sign under it…</v-btn
        >
      </p>
      <form v-if="at === r.id" class="under" @submit.prevent="sign">
        <DenseField
          v-model="second"
          placeholder="who signs second"
          aria-label="who signs second"
          maxlength="80"
          required
        />
        <DenseField
          v-model="password"
          type="password"
          placeholder="password of the second"
          aria-label="password of the second"
          maxlength="200"
          autocomplete="current-password"
          required
        />
        <v-btn class="act" type="submit">sign under it</v-btn>
        <v-btn class="mini" @click="at = 0">not now</v-btn>
      </form>
    </div>
    <p v-if="says" class="bad small" role="status">■ {{ says }}</p>
  </section>
</template>

<style scoped>
h2 {
  margin: 10px 0 4px;
  font-size: 14px;
}

p {
  margin: 4px 0;
}

a {
  color: rgb(var(--v-theme-copper));
}

.under {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
