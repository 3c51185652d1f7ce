<script setup lang="ts">
/** The lines of a script in words; of a run, what was seen and after what time; a run that is over can be signed. */
import { ref, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ lines: Schemas['ScriptLine'][]; run: Schemas['WholeRunOut'] | null }>()
const emit = defineEmits<{ line: [number]; signed: [number] }>()
const plant = usePlant()
const name = ref('')
const note = ref('')
const password = ref('')
const says = ref('')
const busy = ref(false)
const SIGNS: Record<string, string> = { waits: '○', put: '◆', seen: '●', 'not seen': '■', failed: '■' }

async function sign() {
  busy.value = true
  const number = props.run!.id
  const answer = await ask(
    api.POST('/api/script-runs/{number}/sign', {
      params: { path: { number } },
      body: { name: name.value, note: note.value, password: password.value },
    }),
  )
  busy.value = false
  password.value = ''
  says.value = answer.problem ? said(answer.problem) : ''
  if (answer.data) emit('signed', number)
}

watch(() => props.run?.id, () => ((says.value = ''), (note.value = ''))) // prettier-ignore
</script>

<template>
  <div class="run">
    <p v-if="run" class="verdict" :class="{ bad: run.state === 'failed' || run.missed > 0 }">
      {{ run.state === 'done' ? run.says : run.state
      }}<template v-if="run.state !== 'done' && run.says">: {{ run.says }}</template>
    </p>
    <p v-else-if="!lines.length" class="quiet">what the lines mean stands here as they are written</p>
    <table v-if="lines.length" class="ledger">
      <thead>
        <tr>
          <th></th>
          <th>at</th>
          <th>point</th>
          <th>put on, or to be seen</th>
          <th v-if="run" class="n">after</th>
          <th v-if="run">read</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lines" :key="l.line" :class="l.state.replace(' ', '-')" @click="emit('line', l.line)">
          <td v-tip="l.state">
            <span aria-hidden="true">{{ run ? SIGNS[l.state] : l.sees ? '○' : '◇' }}</span>
          </td>
          <td class="figure">{{ (l.began ?? l.at).toFixed(l.began === null ? 0 : 1) }} s</td>
          <td class="figure">{{ l.tag }}</td>
          <td>{{ l.says }}</td>
          <td v-if="run" class="figure n">{{ l.after === null ? '' : `${l.after.toFixed(2)} s` }}</td>
          <td v-if="run" class="small">{{ l.read }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="run?.record">
      signed as record {{ run.record }} · <a :href="`/api/evidence/${run.record}/pdf`" target="_blank">PDF</a>
    </p>
    <form v-else-if="run?.state === 'done' && plant.may('edit')" class="sign" @submit.prevent="sign">
      <DenseField v-model="name" placeholder="your name" aria-label="your name" maxlength="80" required />
      <DenseField v-model="note" placeholder="remark" aria-label="remark" maxlength="400" />
      <DenseField
        v-model="password"
        type="password"
        placeholder="your password once more"
        aria-label="your password once more"
        maxlength="200"
        autocomplete="current-password"
        required
      />
      <v-btn class="act main" type="submit" :disabled="busy">sign what was seen</v-btn>
      <p v-if="says" class="bad">■ {{ says }}</p>
    </form>
  </div>
</template>

<style scoped>
.verdict {
  margin: 6px 0;
  font-size: 16px;
  font-weight: 600;
}

.ledger {
  margin: 6px 0 10px;
}

td:first-child {
  width: 18px;
}

.n {
  text-align: right;
  white-space: nowrap;
}

td.figure {
  white-space: nowrap;
}

tr.put td:first-child,
tr.waits td:first-child {
  color: rgb(var(--v-theme-copper));
}

tr.not-seen td,
tr.failed td,
.bad {
  color: rgb(var(--v-theme-bad));
}

.sign {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}

.sign input {
  flex: 1;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}
</style>
