<script setup lang="ts">
/** Bringing in a list, whatever it looks like: what its columns are taken for, what it would do, cell by cell, with choices. */
import { useTimeoutFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import FileOutcome from '../parts/import/FileOutcome.vue'
import { countOfKind, LINES, type Kind } from '../parts/import/kinds'
import { mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'
import { each } from '../kit/each'
import FilePick from '../kit/FilePick.vue'

type Job = Schemas['JobOut']
const plant = usePlant()
const router = useRouter()
const job = shallowRef<Job | null>(null)
const says = ref('')
const text = ref('')
const kind = ref<Kind>('changed')
const lines = shallowRef<Schemas['LineOut'][]>([])
const count = ref(0)
const start = ref(0)
const targets = shallowRef<Schemas['TargetOut'][]>([])
const kept = shallowRef<string[]>([])
const mapping = ref('')
const over = ref(false)
/** A choice is on its way: what is shown is not what it will be. */
const choosing = ref(false)

void ask(api.GET('/api/mappings')).then((answer) => {
  if (!answer.data) return
  targets.value = answer.data.targets
  kept.value = answer.data.mappings
})

const choices = computed(() => job.value?.choices as Required<Schemas['Choices']> | undefined)
const counts = computed(() => job.value?.counts as Required<Schemas['CountsOut']> | undefined)
const countOf = (one: Kind) => countOfKind(counts.value, one)

async function begin(file: File) {
  says.value = ''
  const body = new FormData()
  body.append('file', file)
  const request = api.POST('/api/imports', {
    body: body as unknown as { file: string },
    bodySerializer: (form) => form as unknown as FormData,
  })
  heard(await ask(request))
}

async function beginText() {
  if (text.value.trim()) heard(await ask(api.POST('/api/imports/text', { body: { text: text.value } })))
}

const rest = ref(300)
const again = useTimeoutFn(() => void look(), rest, { immediate: false })
function lookIn(ms: number) {
  rest.value = ms
  again.start()
}

type Answer = { data: Job; problem?: undefined } | { data?: undefined; problem: Schemas['Problem'] }
function heard(answer: Answer) {
  if (answer.problem) {
    // A server that is away while it works is asked again; anything else is told, where one is.
    if (job.value?.busy && [0, 503].includes(answer.problem.status)) {
      return lookIn(1000)
    }
    const words = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
    if (job.value) plant.say(words, 'bad')
    else says.value = words
    return
  }
  const before = job.value
  job.value = answer.data
  again.stop()
  if (answer.data.busy) lookIn(300)
  else if (answer.data.state === 'ready' && before?.state !== 'ready') first()
  else if (answer.data.state === 'done') finished()
}

async function look() {
  if (job.value) heard(await ask(api.GET('/api/imports/{job}', { params: { path: { job: job.value.id } } })))
}

/** The kind of row that most wants a look. */
function first() {
  kind.value = (['changed', 'added', 'wrong', 'out', 'same'] as Kind[]).find(countOf) ?? 'changed'
  start.value = 0
  void page()
}

function finished() {
  plant.say(`${job.value?.name} is taken in`, 'plain', { undo: true })
}

watch([kind, start], page)
async function page() {
  if (!job.value || job.value.state !== 'ready') return
  const answer = await ask(
    api.GET('/api/imports/{job}/lines', {
      params: { path: { job: job.value.id }, query: { kind: kind.value, start: start.value, most: LINES } },
    }),
  )
  if (answer.problem) return plant.say(answer.problem.title, 'bad')
  lines.value = answer.data.lines
  count.value = answer.data.count
}

async function choose(part: Partial<Schemas['Choices']>) {
  if (!job.value || !choices.value) return
  choosing.value = true
  heard(
    await ask(
      api.PUT('/api/imports/{job}/choices', {
        params: { path: { job: job.value.id } },
        body: { ...choices.value, ...part },
      }),
    ),
  )
  choosing.value = false
}

function take(column: number, target: string) {
  void choose({ columns: { ...choices.value?.columns, [column]: target } })
}

function leave(row: number) {
  const now = new Set(choices.value?.leave)
  if (!now.delete(row)) now.add(row)
  void choose({ leave: [...now] })
}

function ours(row: number, field: string) {
  void choose({ ours: [...(choices.value?.ours ?? []), { row, field }] })
}

async function apply() {
  if (job.value)
    heard(await ask(api.POST('/api/imports/{job}/apply', { params: { path: { job: job.value.id } } })))
}

async function stop() {
  if (!job.value) return
  again.stop()
  await ask(api.DELETE('/api/imports/{job}', { params: { path: { job: job.value.id } } }))
  job.value = null
  lines.value = []
}

async function keep() {
  if (!job.value || !mapping.value.trim()) return
  const answer = await ask(
    api.PUT('/api/imports/{job}/mapping', {
      params: { path: { job: job.value.id } },
      body: { name: mapping.value.trim() },
    }),
  )
  if (answer.problem) return plant.say(answer.problem.title, 'bad')
  kept.value = answer.data.mappings
  plant.say(`kept as “${mapping.value.trim()}”: a list with the same headings is taken so from now on`)
}

function chosen(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) void begin(file)
}

function dropped(event: DragEvent) {
  over.value = false
  const file = event.dataTransfer?.files[0]
  if (file) void begin(file)
}
</script>

<template>
  <section class="import">
    <header class="bar">
      <router-link to="/handover" class="quiet">Handover</router-link>
      <h1>bring in a list{{ job ? `: ${job.name}` : '' }}</h1>
      <span class="gap" />
      <template v-if="job">
        <v-btn class="act" @click="stop">
          {{ job.state === 'done' ? 'another one' : 'leave it' }}
        </v-btn>
        <v-btn
          v-if="job.state === 'ready'"
          class="act main"
          :disabled="
            choosing ||
            !!job.says ||
            !(counts?.added || counts?.changed || (choices?.gone && counts?.unmatched))
          "
          @click="apply"
        >
          take it in
        </v-btn>
      </template>
    </header>

    <div
      v-if="!job"
      class="begin"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="dropped"
    >
      <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
      <template v-if="plant.may('edit')">
        <FilePick class="act main" accept=".csv,.tsv,.txt,.xlsx,.xlsm,.ods,.xls" @change="chosen"
          >choose a file…</FilePick
        >
        <span class="quiet">
          or drop it here: CSV, XLSX, ODS, XLS; headings anywhere, columns in any order</span
        >
        <form @submit.prevent="beginText">
          <v-textarea
            v-model="text"
            rows="10"
            placeholder="or paste rows from a sheet, with their headings"
            aria-label="pasted rows"
          />
          <v-btn type="submit" class="act" :disabled="!text.trim()">read what is pasted</v-btn>
        </form>
        <p class="quiet">Nothing is changed before you have seen what it does.</p>
      </template>
      <p v-else class="quiet">a reader may look, not change</p>
    </div>

    <div v-else-if="job.busy" class="begin" role="status">
      <p>{{ job.state }} {{ job.name }} … {{ Math.round(job.done * 100) }} %</p>
      <progress :value="job.done" max="1" />
    </div>

    <div v-else-if="job.state !== 'ready'" class="begin">
      <p v-if="job.state === 'done'" role="status">
        Taken in as one change: {{ counts?.added }} new, {{ counts?.changed }} changed in
        {{ counts?.cells }} cells.
        <v-btn class="act main" @click="router.push('/list')">to the list</v-btn>
      </p>
      <p v-else class="bad" role="alert">■ {{ job.says || job.state }}</p>
    </div>

    <div v-else class="work">
      <aside class="column">
        <p v-if="job.says" class="bad" role="alert">■ {{ job.says }}</p>
        <details v-if="job.does && (job.does.opened || job.does.closed || job.does.moved)" class="small does">
          <summary>
            it would raise {{ job.does.opened }} finding{{ job.does.opened === 1 ? '' : 's' }}, settle
            {{ job.does.closed }} and move {{ job.does.moved }} value{{ job.does.moved === 1 ? '' : 's' }}
          </summary>
          <p v-for="(finding, i) in job.does.findings" :key="i">
            {{ mark(finding) }} {{ finding.text }}
            <span class="quiet figure">{{ finding.rule }}</span>
          </p>
          <p v-if="job.does.opened > job.does.findings.length" class="quiet">
            and {{ job.does.opened - job.does.findings.length }} more findings
          </p>
          <p v-for="value in job.does.values" :key="value.tag">
            <span class="figure">{{ value.tag }}</span> at {{ value.at }}: {{ value.was }} →
            {{ value.becomes }}
          </p>
        </details>
        <p class="field">
          <span>sheet</span>
          <ChoiceField
            :model-value="job.sheet"
            aria-label="sheet"
            :items="
              each(job.sheets, (sheet, i) => ({ value: i, title: `${sheet.name} · ${sheet.rows} rows` }))
            "
            @update:model-value="choose({ sheet: Number($event), header: null, columns: {} })"
          />
        </p>
        <p class="field">
          <span>headings in row</span>
          <ChoiceField
            :model-value="job.header"
            aria-label="row of the headings"
            :items="[
              { value: -1, title: 'none' },
              ...each(job.top, (row, i) => ({
                value: i,
                title: `${i + 1}: ${row.filter(Boolean).slice(0, 3).join(', ')}`,
              })),
            ]"
            @update:model-value="choose({ header: Number($event), columns: {} })"
          />
        </p>
        <p class="field">
          <span>rows found by</span>
          <ChoiceField
            :model-value="choices?.match_by ?? 'tag'"
            aria-label="rows are found by"
            :items="[
              'tag',
              { value: 'second_name', title: 'second name' },
              { value: 'old_address', title: 'old address' },
              'channel',
            ]"
            @update:model-value="choose({ match_by: $event as 'tag' })"
          />
        </p>
        <p class="field">
          <span>1,200 is</span>
          <ChoiceField
            :model-value="choices?.comma ?? ''"
            aria-label="a comma before three digits is"
            :items="[
              { value: '', title: 'asked about' },
              { value: 'decimal', title: '1.2: a decimal comma' },
              { value: 'thousands', title: '1200: thousands' },
            ]"
            @update:model-value="choose({ comma: $event as '' })"
          />
        </p>
        <v-checkbox
          :model-value="choices?.keep_old"
          class="small"
          label="keep the old channel beside a new one"
          @update:model-value="choose({ keep_old: !!$event })"
        />
        <v-checkbox
          :model-value="choices?.gone"
          class="small"
          :label="`take away the ${counts?.unmatched} points that are not in the file`"
          @update:model-value="choose({ gone: !!$event })"
        />
        <h2>
          columns<span v-if="job.mapping" class="quiet"> · as in “{{ job.mapping }}”</span>
        </h2>
        <table class="small">
          <tr v-for="(column, i) in job.columns" :key="i" :class="{ quiet: !column.target }">
            <td v-tip="column.cells.join(' · ')" class="figure head">
              {{ column.heading }}<span v-if="column.unit" class="quiet"> [{{ column.unit }}]</span>
            </td>
            <td>
              <ChoiceField
                :model-value="column.target"
                :aria-label="`${column.heading} is`"
                :items="[
                  { value: '', title: 'left out' },
                  ...targets.map((target) => ({ value: target.name, title: target.label })),
                ]"
                @update:model-value="take(i, $event)"
              />
            </td>
          </tr>
        </table>
        <form class="keys" @submit.prevent="keep">
          <DenseField
            v-model="mapping"
            class="setting"
            maxlength="60"
            placeholder="keep these columns as…"
            aria-label="name to keep the columns under"
            list="kept-mappings"
          />
          <datalist id="kept-mappings"><option v-for="name in kept" :key="name" :value="name" /></datalist>
          <v-btn type="submit" class="act" :disabled="!mapping.trim()">keep</v-btn>
        </form>
      </aside>
      <FileOutcome
        v-model:kind="kind"
        v-model:start="start"
        :counts="job.counts"
        :lines="lines"
        :count="count"
        @leave="leave"
        @ours="ours"
      />
    </div>
  </section>
</template>

<style scoped>
.import {
  display: grid;
  grid-template-rows: 44px minmax(0, 1fr);
  height: 100%;
}

.bar {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 14px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

h1 {
  overflow: hidden;
  font-size: 15px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.gap {
  flex: 1;
}

.begin {
  margin: 14px;
  padding: 18px;
  border: 1px dashed rgb(var(--v-theme-duct));
  border-radius: var(--radius);
}

.begin.over {
  background: rgb(var(--v-theme-copper-wash));
}

textarea {
  display: block;
  width: 100%;
  margin: 12px 0 6px;
  padding: 6px;
  border: 1px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font-family: var(--mono);
  font-size: 12px;
}

progress {
  width: 320px;
  accent-color: rgb(var(--v-theme-copper));
}

.work {
  display: grid;
  grid-template-columns: 360px minmax(0, 1fr);
  min-height: 0;
}

.column select {
  width: 100%;
}

.head {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.bad {
  color: rgb(var(--v-theme-bad));
}

p {
  margin: 0;
}
</style>
