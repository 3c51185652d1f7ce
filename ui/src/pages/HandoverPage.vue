<script setup lang="ts">
/** Files out and in: the plant as a project file, a list as CSV. A list is read as a dry run before it is taken. */
import { ref, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'

const plant = usePlant()
const file = shallowRef<File | null>(null)
const seen = shallowRef<Schemas['BroughtOut'] | null>(null)
const says = ref('')
const busy = ref(false)
const picker = ref<HTMLInputElement | null>(null)

const label = (name: string) => {
  const field = plant.plant?.fields.find((f) => f.name === name)
  return field ? `${field.station} ${field.label}` : name
}

async function send(apply: boolean) {
  if (!file.value) return
  busy.value = true
  const body = new FormData()
  body.append('file', file.value)
  body.append('apply', String(apply))
  const answer = await ask(
    api.POST('/api/lists', {
      body: body as unknown as { file: string; apply: boolean },
      bodySerializer: (form) => form as unknown as FormData,
    }),
  )
  busy.value = false
  if (answer.problem) {
    seen.value = null
    says.value = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
  } else {
    says.value = ''
    seen.value = answer.data
  }
}

function chosen(event: Event) {
  file.value = (event.target as HTMLInputElement).files?.[0] ?? null
  seen.value = null
  says.value = ''
  void send(false)
}

function again() {
  file.value = null
  seen.value = null
  says.value = ''
  if (picker.value) picker.value.value = ''
}
</script>

<template>
  <section class="handover">
    <div class="panel out">
      <h2>take the plant with you</h2>
      <p class="quiet">
        Everything in one open JSON file: conventions, module types, cabinets, every point. It comes back with
        <span class="figure">./canaleta import</span>.
      </p>
      <a class="act main" href="/api/project" download>project file</a>
      <a class="act" href="/api/project/schema" target="_blank" rel="noopener">its schema</a>
    </div>
    <div class="panel in">
      <h2>bring in a list</h2>
      <p class="quiet">
        CSV with a line of headers; one column is the tag. A known tag changes that point, a new one adds it.
        Nothing is changed before you say so.
      </p>
      <label v-if="plant.may('edit')" class="act main pick">
        choose a file…
        <input ref="picker" type="file" accept=".csv,text/csv,text/plain" @change="chosen" />
      </label>
      <p v-else class="quiet">a reader may look, not change</p>
      <p v-if="busy" class="quiet" role="status">reading {{ file?.name }} …</p>
      <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
      <template v-if="seen">
        <p class="figure sum" role="status">
          {{ file?.name }}: {{ seen.added }} new, {{ seen.changed }} changed in {{ seen.cells }} cells,
          {{ seen.same }} the same
        </p>
        <p v-if="seen.applied" class="chip">taken in; Ctrl Z on the list takes it back</p>
        <p v-else>
          <button
            class="act main"
            type="button"
            :disabled="busy || !(seen.added || seen.changed)"
            @click="send(true)"
          >
            take it in
          </button>
          <button class="act" type="button" @click="again">leave it</button>
        </p>
        <dl>
          <div v-for="(field, header) in seen.columns" :key="header">
            <dt class="figure">{{ header }}</dt>
            <dd>{{ label(field) }}</dd>
          </div>
          <div v-for="header in seen.ignored" :key="`no ${header}`" class="quiet">
            <dt class="figure">{{ header }}</dt>
            <dd>means no field here: left out</dd>
          </div>
        </dl>
        <table v-if="seen.troubles.length">
          <caption>
            ▲ not taken; these cells stay as they were
          </caption>
          <thead class="quiet">
            <tr>
              <th>row</th>
              <th>column</th>
              <th>says</th>
              <th>why not</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(t, i) in seen.troubles" :key="i">
              <td class="figure">{{ t.row }}</td>
              <td>{{ t.header }}</td>
              <td class="figure">{{ t.typed }}</td>
              <td>{{ t.says }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="seen.more_troubles" class="quiet">and {{ seen.more_troubles }} more</p>
      </template>
    </div>
  </section>
</template>

<style scoped>
.handover {
  display: grid;
  grid-template-columns: minmax(240px, 1fr) minmax(0, 2.4fr);
  gap: 12px;
  align-items: start;
  height: 100%;
  padding: 16px 20px;
  overflow: auto;
}

.panel {
  padding: 12px 16px;
}

h2 {
  margin: 0 0 6px;
  font-size: 14px;
}

.act {
  display: inline-block;
  margin-right: 8px;
  text-decoration: none;
}

.pick input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}

.pick:focus-within {
  outline: 2px solid rgb(var(--v-theme-copper));
}

.sum {
  margin: 10px 0 6px;
}

dl {
  columns: 2;
  font-size: 12px;
}

dl > div {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  break-inside: avoid;
}

dd {
  margin: 0;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 12px;
}

caption {
  padding: 6px 0;
  color: rgb(var(--v-theme-settle));
  text-align: left;
}

td,
th {
  padding: 3px 6px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  text-align: left;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
