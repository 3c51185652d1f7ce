<script setup lang="ts">
/**
 * Scripts: what is put on which terminals when, and what must be seen within what time. Written as lines, read back in
 * words beside them, played along a strip, and signed as evidence.
 */
import { useDebounceFn, useTimeoutFn } from '@vueuse/core'
import { computed, nextTick, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, said, type Schemas } from '../api/client'
import ScriptRun from '../parts/live/ScriptRun.vue'
import ScriptStrip from '../parts/live/ScriptStrip.vue'
import { firstScript, scriptLine, tagAt } from '../plant/scripting'
import { usePlant } from '../plant/store'
import { clock } from '../plant/words'
import DenseField from '../kit/DenseField.vue'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const DRAFTS = 'canaleta-scripts'
const OPENED = 'canaleta-script'
interface Draft {
  name: string
  version: number
  text: string
}
const drafts = shallowRef<Record<string, Draft>>(draftsNow())
/** The name it was opened by; '' for the blank page, null before any was. */
const opened = ref<string | null>(null)
/** Scripts that are kept, and those that were only begun. */
const names = computed(() =>
  [...new Set([...all.value.map((s) => s.name), ...Object.keys(drafts.value)])].filter(Boolean).sort(),
)
const all = shallowRef<Schemas['ScriptOut'][]>([])
const runs = shallowRef<Schemas['RunOut'][]>([])
const name = ref('')
const version = ref(0)
const text = ref('')
const kept = ref('')
const told = shallowRef<Schemas['ScriptReadOut'] | null>(null)
const run = shallowRef<Schemas['WholeRunOut'] | null>(null)
const known = ref(false)
const busy = ref(false)
const says = ref('')
const field = ref<HTMLTextAreaElement | null>(null)
const gutter = ref<HTMLElement | null>(null)
const tick = ref(0)
const dirty = computed(() => text.value !== kept.value)
const wrong = computed(() => new Map((told.value?.problems ?? []).map((p) => [p.line, p.says])))
const count = computed(() => text.value.split('\n').length)
const playing = computed(() => run.value?.state === 'runs')
const lines = computed(() => run.value?.lines ?? told.value?.lines ?? [])
const length = computed(() => Math.max(0, ...lines.value.map((l) => l.ends), ...lines.value.map((l) => l.at)))
const cursor = computed(() => {
  void tick.value
  return playing.value ? (Date.now() + plant.live.offset - Date.parse(run.value!.at)) / 1000 : null
})

async function load() {
  const answer = await ask(api.GET('/api/scripts'))
  if (answer.problem) return (says.value = said(answer.problem))
  all.value = answer.data.scripts
  if (!name.value) runs.value = answer.data.runs
}

async function loadRuns() {
  if (!name.value) return void load()
  const answer = await ask(api.GET('/api/script-runs', { params: { query: { script: name.value } } }))
  runs.value = answer.data?.runs ?? []
}

/** What is typed and not kept stays in this browser, for each script on its own: leaving one asks nothing. */
function draftsNow(): Record<string, Draft> {
  return JSON.parse(localStorage.getItem(DRAFTS) ?? '{}') as Record<string, Draft>
}

function setDraft(of: string, draft: Draft | null) {
  const all = draftsNow()
  if (draft) all[of] = draft
  else Reflect.deleteProperty(all, of)
  drafts.value = all
  localStorage.setItem(DRAFTS, JSON.stringify(all))
}

/** Keep what is typed for when this script is opened again. */
function remember() {
  if (opened.value === null) return
  setDraft(opened.value, dirty.value ? { name: name.value, version: version.value, text: text.value } : null)
}

/** Show a script as it was left: what was typed, else what is kept, else a blank page. */
function open(as: string, begins = '') {
  remember()
  const script = all.value.find((s) => s.name === as)
  const draft = drafts.value[as] ?? { name: as, version: script?.version ?? 0, text: script?.text ?? begins }
  opened.value = as
  localStorage.setItem(OPENED, as)
  name.value = draft.name
  version.value = draft.version
  text.value = draft.text
  kept.value = script?.version === draft.version ? script.text : ''
  run.value = null
  known.value = false
  says.value = ''
  void loadRuns()
}

async function forPoint(point: number) {
  const answer = await ask(api.GET('/api/points/{point}/check', { params: { path: { point } } }))
  const tag = plant.list.text('tag', plant.list.row(point) ?? -1)
  if (answer.data && tag) open(`${tag} rehearsal`, firstScript(tag, answer.data))
}

async function read() {
  remember()
  const answer = await ask(api.POST('/api/scripts/read', { body: { text: text.value } }))
  if (answer.data) told.value = answer.data
}

async function keep() {
  if (busy.value) return
  if (!name.value.trim()) return (says.value = 'give it a name first')
  busy.value = true
  // Under another name it is another script.
  const body = { text: text.value, version: name.value.trim() === opened.value ? version.value : 0 }
  const answer = await ask(
    api.PUT('/api/scripts/{name}', { params: { path: { name: name.value.trim() } }, body }),
  )
  busy.value = false
  says.value = answer.problem ? said(answer.problem) : 'kept'
  if (!answer.data) return
  setDraft(opened.value ?? '', null)
  opened.value = name.value = answer.data.name
  localStorage.setItem(OPENED, opened.value)
  version.value = answer.data.version
  kept.value = text.value
  void load()
}

async function drop() {
  const answer = await ask(
    api.DELETE('/api/scripts/{name}', { params: { path: { name: opened.value ?? '' } } }),
  )
  if (answer.problem) return (says.value = said(answer.problem))
  // What was dropped stays in the field: keeping it again takes it back.
  version.value = 0
  kept.value = ''
  says.value = 'dropped; keep it again to take that back'
  remember()
  void load()
}

async function begin() {
  busy.value = true
  const body = { text: text.value, name: name.value.trim(), trips_known: known.value }
  const answer = await ask(api.POST('/api/scripts/run', { body }))
  busy.value = false
  says.value = answer.problem ? said(answer.problem) : ''
  if (answer.data) await follow(answer.data.id)
}

async function follow(number: number) {
  polling.stop()
  const answer = await ask(api.GET('/api/script-runs/{number}', { params: { path: { number } } }))
  if (answer.problem) return (says.value = said(answer.problem))
  run.value = answer.data
  tick.value++
  if (answer.data.state === 'runs') polling.start()
  else void loadRuns()
}

const polling = useTimeoutFn(() => void follow(run.value!.id), 400, { immediate: false })

async function callOff() {
  const number = run.value!.id
  await ask(api.POST('/api/script-runs/{number}/stop', { params: { path: { number } } }))
  void follow(number)
}

/** Put a line where the cursor is, for the tag that is spoken of there; the cursor goes to what must be filled in. */
function add(what: string) {
  const at = field.value?.selectionStart ?? text.value.length
  const before = text.value.slice(0, at)
  const row = before.split('\n').length - 1
  const end = text.value.indexOf('\n', at)
  const place = end < 0 ? text.value.length : end
  const line = scriptLine(text.value.trim() ? '+5 s' : '0 s', tagAt(text.value, row) || 'TAG', what)
  const made = text.value.slice(0, place).trim() ? `\n${line}` : line
  text.value = text.value.slice(0, place) + made + text.value.slice(place)
  void nextTick(() => {
    field.value?.focus()
    field.value?.setSelectionRange(place + made.length, place + made.length)
  })
}

/** Show a line of the text. */
function show(line: number) {
  const start = text.value.split('\n').slice(0, line - 1).join('\n').length + (line > 1 ? 1 : 0) // prettier-ignore
  const length = text.value.split('\n')[line - 1]?.length ?? 0
  field.value?.focus()
  field.value?.setSelectionRange(start, start + length)
}

function key(event: KeyboardEvent) {
  if (!(event.ctrlKey || event.metaKey)) return
  if (event.key === 's') {
    event.preventDefault()
    void keep()
  }
  if (event.key === 'Enter' && runnable.value) {
    event.preventDefault()
    void begin()
  }
}

const runnable = computed(
  () => !!told.value?.lines.length && !told.value.problems.length && !playing.value && !busy.value &&
    (known.value || !told.value.trips.length),
) // prettier-ignore

const readSoon = useDebounceFn(() => void read(), 250)
watch(text, () => {
  run.value = playing.value ? run.value : null
  void readSoon()
})
onMounted(async () => {
  await load()
  const point = Number(route.query.point)
  if (point) {
    await forPoint(point)
    void router.replace({ query: {} })
  } else open(localStorage.getItem(OPENED) ?? '')
  await read()
})
watch(
  () => told.value?.trips.join(),
  () => (known.value = false),
)
onUnmounted(remember)
</script>

<template>
  <section class="scripts" @keydown="key">
    <div class="three">
      <aside>
        <v-btn class="act" @click="open('')">new script</v-btn>
        <v-btn v-for="n in names" :key="n" class="one" :class="{ here: n === opened }" @click="open(n)">
          {{ n }}<span v-if="drafts[n]" class="quiet">◇ not kept</span>
        </v-btn>
        <p v-if="!names.length" class="quiet small">
          nothing is kept yet. Write lines, or begin from a point: its page, “script…”.
        </p>
        <template v-if="runs.length">
          <h2>{{ name ? 'its runs' : 'runs' }}</h2>
          <v-btn
            v-for="r in runs"
            :key="r.id"
            class="one run"
            :class="{ here: run?.id === r.id }"
            @click="follow(r.id)"
          >
            <span aria-hidden="true">{{ r.state !== 'done' ? '▲' : r.missed ? '■' : '●' }}</span>
            {{ clock(r.at) }} {{ r.who }}<template v-if="!name"> · {{ r.script }}</template>
            <span class="quiet"
              >{{ r.state === 'done' ? r.says : r.state }}{{ r.record ? ' · signed' : '' }}</span
            >
          </v-btn>
        </template>
      </aside>

      <div class="write">
        <div class="head">
          <DenseField
            v-model="name"
            class="name"
            placeholder="name of the script"
            aria-label="name of the script"
            maxlength="60"
            :disabled="opened === null"
          />
          <span v-if="dirty" class="chip apart">not kept</span>
          <v-btn v-tip="'Ctrl+S'" class="act" :disabled="busy || !dirty || !plant.may('edit')" @click="keep">
            keep
          </v-btn>
          <v-btn v-if="version && plant.may('edit')" class="act" :disabled="busy" @click="drop"> drop </v-btn>
        </div>
        <div class="paper">
          <div ref="gutter" class="gutter figure" aria-hidden="true">
            <span v-for="n in count" :key="n" v-tip="wrong.get(n)" :class="{ bad: wrong.has(n) }">{{
              wrong.has(n) ? '■' : n
            }}</span>
          </div>
          <textarea
            ref="field"
            v-model="text"
            class="figure"
            spellcheck="false"
            aria-label="lines of the script"
            :disabled="opened === null"
            :placeholder="'0 s    PT-3107  put 12 mA\n+0 s   PT-3107  see 250 ± 1 within 3 s\n+5 s   PT-3107  make open\n+0 s   PT-3107  see bad within 8 s\n+9 s   PT-3107  take off'"
            @scroll="gutter && (gutter.scrollTop = field!.scrollTop)"
          />
        </div>
        <p class="adds">
          <span class="quiet">add a line:</span>
          <v-btn
            v-for="[label, what] in [
              ['put', 'put 12 mA'],
              ['ramp', 'put ramp 4 mA to 20 mA in 10 s'],
              ['see a value', 'see 50 ± 1 % within 3 s'],
              ['see an alarm', 'see alarm h within 5 s'],
              ['break the wire', 'make open'],
              ['take off', 'take off'],
            ]"
            :key="label"
            class="chip"
            @click="add(what!)"
          >
            {{ label }}
          </v-btn>
        </p>
        <ul v-if="told?.problems.length" class="wrong">
          <li v-for="p in told.problems" :key="p.line">
            <v-btn class="link bad" @click="show(p.line)">■ line {{ p.line }}</v-btn>
            {{ p.says }}
          </li>
        </ul>
        <p v-for="t in told?.trips ?? []" :key="t" class="settle">▲ {{ t }}</p>
        <v-checkbox
          v-if="told?.trips.length"
          v-model="known"
          class="settle"
          label="it is provided for: inhibited, or agreed on"
        />
        <div class="head">
          <v-btn
            v-if="!playing"
            v-tip="'Ctrl+Enter'"
            class="act main"
            :disabled="!runnable || !plant.may('inject')"
            @click="begin"
          >
            run it, {{ told?.length_s ?? 0 }} s
          </v-btn>
          <v-btn v-else class="act main" @click="callOff">call it off</v-btn>
          <span v-if="says" role="status">{{ says }}</span>
          <span v-else class="quiet small">whatever it puts on is taken off at its end, however it ends</span>
        </div>
      </div>

      <div class="told">
        <ScriptStrip :lines="lines" :length="length" :now="cursor" @line="show" />
        <ScriptRun :lines="lines" :run="run" @line="show" @signed="follow" />
      </div>
    </div>
  </section>
</template>

<style scoped>
.scripts {
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  height: 100%;
}

.three {
  display: grid;
  grid-template-columns: 178px minmax(300px, 5fr) minmax(320px, 6fr);
  min-height: 0;
}

aside,
.write,
.told {
  min-height: 0;
  padding: 12px;
  overflow: auto;
}

aside {
  display: flex;
  flex-direction: column;
  gap: 4px;
  border-right: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

h2 {
  margin: 10px 0 0;
  font-size: 13px;
}

.one {
  padding: 3px 6px;
  border: 0;
  border-left: 3px solid transparent;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  overflow-wrap: anywhere;
  cursor: pointer;
}

.one.here {
  border-color: rgb(var(--v-theme-copper));
  font-weight: 600;
}

.one.run {
  font-size: 12px;
  font-weight: 400;
}

.one .quiet {
  display: block;
}

.write {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

.name {
  flex: 1;
  min-width: 120px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
  font-size: 16px;
  font-weight: 600;
}

.paper {
  display: grid;
  flex: 1;
  grid-template-columns: 34px minmax(0, 1fr);
  min-height: 180px;
  border: 1px solid rgb(var(--v-theme-line));
  border-radius: var(--radius);
  background: rgb(var(--v-theme-surface));
}

.gutter {
  padding: 8px 0;
  overflow: hidden;
  background: rgb(var(--v-theme-band));
  color: rgb(var(--v-theme-quiet));
  font-size: 12px;
  line-height: 20px;
  text-align: center;
}

.gutter span {
  display: block;
}

textarea {
  padding: 8px 10px;
  border: 0;
  background: none;
  color: inherit;
  font-size: 12.5px;
  line-height: 20px;
  white-space: pre;
  resize: none;
}

textarea::placeholder {
  color: rgb(var(--v-theme-quiet));
}

.adds {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 0;
}

.wrong {
  max-height: 90px;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}

.link {
  border: 0;
  background: none;
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}

p {
  margin: 0;
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.told {
  border-left: 1px solid rgb(var(--v-theme-line));
}

@media (max-width: 900px) {
  .three {
    display: block;
    overflow: auto;
  }

  textarea {
    min-height: 220px;
  }
}
</style>
