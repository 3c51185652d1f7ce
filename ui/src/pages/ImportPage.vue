<script setup lang="ts">
/** Bringing in a list, whatever it looks like: what its columns are taken for, what it would do, cell by cell, with choices. */
import { useTimeoutFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import FileTable from '../parts/import/FileTable.vue'
import QuestionCard from '../parts/import/QuestionCard.vue'
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
/** Which of the file's lists is looked at, and which question is asked. */
const list = ref(0)
const turn = ref(0)
const table = computed(() => job.value?.tables[list.value] ?? job.value?.tables[0])
const questions = computed(() => job.value?.questions ?? [])
const question = computed(() => questions.value[turn.value % Math.max(1, questions.value.length)])
const askedColumn = computed(() => question.value?.id.split('@').slice(1).join('@') ?? '')
const open = computed(() => new Set(job.value?.reasons.filter((one) => one.asked).map((one) => one.code)))
/** A list by its sheet, and by its rows where a sheet has several. */
function nameOf(one: Schemas['FileList']): string {
  const alike = job.value?.tables.filter((other) => other.sheet === one.sheet) ?? []
  return alike.length > 1 ? `${one.name}, rows ${one.data[0]! + 1} to ${one.data[1]}` : one.name
}
const sheets = computed(() => job.value?.sheets.map((sheet) => sheet.name) ?? [])
const told = computed(() => job.value?.sheets.flatMap((sheet) => sheet.told) ?? [])
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
  if (answer.data.busy || answer.data.weighs) lookIn(300)
  if (answer.data.busy) return
  if (answer.data.state === 'ready' && before?.state !== 'ready') first()
  else if (answer.data.state === 'done') finished()
}

async function look() {
  if (job.value) heard(await ask(api.GET('/api/imports/{job}', { params: { path: { job: job.value.id } } })))
}

/** The kind of row that most wants a look. */
function first() {
  kind.value = (['renamed', 'changed', 'added', 'wrong', 'out', 'same'] as Kind[]).find(countOf) ?? 'changed'
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

function answer(id: string, reading: string) {
  const answers = { ...choices.value?.answers, [id]: reading }
  if (!reading) delete answers[id]
  void choose({ answers })
}

type Line = Schemas['LineOut']
const same = (at: Schemas['RowAt'], line: Line) => (at.sheet ?? 0) === line.sheet && at.row === line.row

function leave(line: Line) {
  const rest = (choices.value?.leave ?? []).filter((at) => !same(at, line))
  const left = rest.length < (choices.value?.leave.length ?? 0)
  void choose({ leave: left ? rest : [...rest, { sheet: line.sheet, row: line.row }] })
}

function ours(line: Line, field: string) {
  void choose({ ours: [...(choices.value?.ours ?? []), { sheet: line.sheet, row: line.row, field }] })
}

function join(line: Line) {
  void choose({ joined: [...(choices.value?.joined ?? []), { sheet: line.sheet, row: line.row }] })
}

/** The question that a list waits at is shown on its own list. */
watch(question, (one) => {
  const at =
    job.value?.tables.findIndex((each) => each.columns.some((c) => c.key === askedColumn.value)) ?? -1
  if (one && at >= 0) list.value = at
})

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
  plant.say(`kept as “${mapping.value.trim()}”: a list that looks so is read so from now on`)
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
      <p>
        {{ job.state === 'waiting' ? 'another large file is at work: waiting with' : job.state }}
        {{ job.name }} … {{ Math.round(job.done * 100) }} %
      </p>
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
      <section class="sheet" aria-label="the file as it looks">
        <nav
          v-if="(job.tables.length ?? 0) > 1 || job.beside.length"
          class="keys lists"
          aria-label="lists of the file"
        >
          <v-btn
            v-for="(one, i) in job.tables"
            :key="i"
            class="chip"
            :class="{ on: one === table }"
            :aria-pressed="one === table"
            @click="list = i"
          >
            {{ nameOf(one) }} · {{ one.points }} points
          </v-btn>
          <span
            v-for="one in job.beside"
            :key="`${one.sheet} ${one.name}`"
            v-tip="one.says"
            class="quiet small"
          >
            {{ one.name }}: no list
          </span>
        </nav>
        <FileTable
          v-if="table"
          :key="`${table.sheet} ${table.heads[0]} ${table.columns[0]?.at}`"
          :table="table"
          :targets="targets"
          :asked="askedColumn"
          :code="question?.code ?? ''"
          @take="(key, target) => answer(`column@${key}`, target)"
        />
        <div v-else class="first">
          <p class="bad" role="alert">■ {{ job.says }}</p>
          <div v-for="(sheet, s) in job.first" :key="s">
            <h2>{{ sheet.name }}</h2>
            <table class="small figure">
              <tr v-for="(row, r) in sheet.rows" :key="r">
                <td>
                  <v-btn class="mini" @click="choose({ sheet: s, header: r, answers: {} })"
                    >heads are here</v-btn
                  >
                </td>
                <td v-for="(cell, c) in row.slice(0, 10)" :key="c">{{ cell }}</td>
              </tr>
            </table>
          </div>
        </div>
      </section>
      <aside class="column">
        <p v-if="job.says && table" class="bad" role="alert">■ {{ job.says }}</p>
        <p v-for="(one, i) in told" :key="i" class="settle small">
          ▲ {{ one.says }} (rows {{ one.rows.slice(0, 6).join(', ') }}{{ one.rows.length > 6 ? ' …' : '' }})
        </p>
        <p v-if="job.recalled" class="small quiet">
          It looks as “{{ job.recalled }}” did, and is read as that was.
          <v-btn class="mini" @click="choose({ answers: {} })">ask me again</v-btn>
        </p>
        <QuestionCard
          v-if="question"
          :key="question.id"
          :question="question"
          :number="(turn % questions.length) + 1"
          :of="questions.length + job.more"
          :busy="choosing"
          @answer="answer(question.id, $event)"
          @next="turn++"
        />
        <p v-else-if="table" class="small">
          Nothing is open: every column is read or left out as its chip says.
        </p>
        <ul v-if="job.answered.length" class="small answered" aria-label="what was answered">
          <li v-for="one in job.answered" :key="one.id">
            {{ one.says }} <b>{{ one.readings.find((r) => r.answer === one.answer)?.says ?? one.answer }}</b>
            <v-btn class="mini" :disabled="choosing" @click="answer(one.id, '')">ask again</v-btn>
          </li>
        </ul>
        <p v-if="job.weighs" class="small quiet" role="status">
          What it would do to findings and values is being worked out …
        </p>
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
        <details class="small" :open="!table">
          <summary>how it is read</summary>
          <p class="field">
            <span>only the sheet</span>
            <ChoiceField
              :model-value="choices?.sheet ?? -1"
              aria-label="sheet"
              :items="[
                { value: -1, title: 'every list of the file' },
                ...each(job.sheets, (sheet, i) => ({
                  value: i,
                  title: `${sheet.name} · ${sheet.rows} rows`,
                })),
              ]"
              @update:model-value="
                choose({ sheet: Number($event) < 0 ? null : Number($event), header: null })
              "
            />
          </p>
          <p v-if="table" class="field">
            <span>heads in row</span>
            <ChoiceField
              :model-value="table.heads[1]! - 1 < table.heads[0]! ? -1 : table.heads[1]! - 1"
              aria-label="row of the heads"
              :items="[
                { value: -1, title: 'none' },
                ...each(table.top, (row, i) => ({
                  value: table!.first + i,
                  title: `${table!.first + i + 1}: ${row.filter(Boolean).slice(0, 3).join(', ')}`,
                })),
              ]"
              @update:model-value="choose({ sheet: table.sheet, header: Number($event) })"
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
          <p v-if="job.decimal" class="quiet">
            Decimals are marked by a {{ job.decimal === ',' ? 'comma' : 'point' }} in this file.
          </p>
        </details>
        <form v-if="table" class="keys" @submit.prevent="keep">
          <DenseField
            v-model="mapping"
            class="setting"
            maxlength="60"
            placeholder="keep this reading as…"
            aria-label="name to keep the columns under"
            list="kept-mappings"
          />
          <datalist id="kept-mappings"><option v-for="name in kept" :key="name" :value="name" /></datalist>
          <v-btn type="submit" class="act" :disabled="!mapping.trim()">keep</v-btn>
          <a class="mini" :href="`/api/imports/${job.id}/mapping`" download>as a file, for scripts</a>
        </form>
      </aside>
      <FileOutcome
        v-model:kind="kind"
        v-model:start="start"
        :counts="job.counts"
        :lines="lines"
        :count="count"
        :reasons="job.reasons"
        :sheets="sheets"
        :open="open"
        :targets="targets"
        @leave="leave"
        @ours="ours"
        @join="join"
        @renamed="choose({ renamed: $event })"
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
  grid-template: minmax(0, 46fr) minmax(0, 54fr) / minmax(0, 1fr) 340px;
  grid-template-areas: 'sheet aside' 'outcome aside';
  min-height: 0;
}

.sheet {
  display: grid;
  grid-area: sheet;
  grid-template-rows: auto minmax(0, 1fr);
  min-height: 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.sheet > :only-child {
  grid-row: 1 / span 2;
}

.lists {
  align-items: center;
  padding: 5px 8px;
}

.first {
  padding: 10px 14px;
  overflow: auto;
}

.first td {
  padding: 1px 8px 1px 0;
}

.work > .column {
  grid-area: aside;
}

.work > :last-child {
  grid-area: outcome;
}

.answered li {
  padding: 2px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

@media (width <= 900px) {
  .work {
    display: block;
    overflow: auto;
  }

  .sheet {
    display: block;
  }

  .sheet :deep(.file) {
    max-height: 320px;
  }
}

.bad {
  color: rgb(var(--v-theme-bad));
}

p {
  margin: 0;
}
</style>
