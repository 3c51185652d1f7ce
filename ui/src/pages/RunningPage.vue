<script setup lang="ts">
/**
 * Configured, issued, running: what racks report beside the list and its newest issue. A visit begins here, and ends with
 * nothing open: each difference is written, adopted, or kept with a reason and a day.
 */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, said, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { useUndo } from '../plant/undoing'
import DateField from '../kit/DateField.vue'
import DenseField from '../kit/DenseField.vue'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const looks = shallowRef<Schemas['LooksOut'] | null>(null)
const look = shallowRef<Schemas['RackComparedOut'] | null>(null)
const armed = shallowRef<Schemas['ArmedOut'] | null>(null)
const chosen = ref(new Set<string>())
const busy = ref('')
const wrong = ref('')
const says = ref('')
const keeping = ref(false)
const reason = ref('')
const until = ref('')
let called = false

onMounted(async () => {
  const answer = await ask(api.GET('/api/running'))
  if (answer.problem) return void (wrong.value = said(answer.problem))
  looks.value = answer.data
  // Whoever comes from a rack's own page wants this one read.
  if (rack.value?.reports && plant.may('edit')) await choose(rack.value.rack)
})

const racks = computed(() => looks.value?.racks ?? [])
const rack = computed(() => racks.value.find((r) => String(r.rack) === route.query.rack) ?? null)
const open = computed(() => (look.value?.parameters ?? []).filter((p) => !p.kept))
const kept = computed(() => (look.value?.parameters ?? []).filter((p) => p.kept))
const keeps = computed(() => new Map((look.value?.kept ?? []).map((k) => [k.id, k])))
const picked = computed(() => open.value.filter((p) => chosen.value.has(p.key)))
const trips = computed(() => picked.value.filter((p) => p.trips.length))
const restarts = computed(() => picked.value.some((p) => p.restart))
const adoptable = computed(() => picked.value.filter((p) => p.takes.length && p.configured !== p.running))
const writable = computed(() =>
  picked.value.filter((p) => p.writes && p.configured && p.configured !== p.running),
)
/** What the head and its modules say of themselves, those that nobody noted first. */
const themselves = computed(() =>
  [...(look.value?.themselves ?? [])].sort((a, b) => Number(b.to_note) - Number(a.to_note)),
)
const toNote = computed(() => themselves.value.filter((t) => t.to_note))
type Said = Schemas['ThemselvesOut']
const totals = computed(() => {
  const out = { clean: 0, open: 0, blind: 0, never: 0 }
  for (const r of racks.value.filter((r) => r.reports))
    if (!r.at) out.never++
    else if (r.says) out.blind++
    else if (r.open || r.missing) out.open++
    else out.clean++
  return out
})
/** Where a module or a rack is opened. */
const placeOf = (p: Schemas['ParameterOut']) => ({
  cabinet: rack.value?.cabinet,
  [p.entity]: String(p.entity_id),
})
const markOf = (r: Schemas['RackLookOut']) => (!r.at ? '·' : r.says ? '■' : r.open || r.missing ? '▲' : '✓')
const when = (at: string) => new Date(at).toLocaleString()

async function tell() {
  const answer = await ask(api.GET('/api/running'))
  if (answer.data) looks.value = answer.data
}

/** Read one rack now. */
async function lookAt(number: number, show = true) {
  const answer = await ask(api.POST('/api/running/{rack}', { params: { path: { rack: number } } }))
  if (answer.problem) return void (wrong.value = said(answer.problem))
  if (!show) return
  look.value = answer.data
  armed.value = answer.data.armed
  chosen.value = new Set(answer.data.parameters.filter((p) => !p.kept).map((p) => p.key))
}
async function choose(number: number) {
  if (busy.value) return
  wrong.value = says.value = ''
  look.value = null
  keeping.value = false
  await router.replace({ query: { rack: String(number) } })
  await again('reading the rack’s settings…')
}
async function again(words: string) {
  if (!rack.value) return
  busy.value = words
  await lookAt(rack.value.rack)
  busy.value = ''
  await tell()
}
async function all() {
  const those = racks.value.filter((r) => r.reports)
  called = false
  wrong.value = ''
  for (const [k, r] of those.entries()) {
    if (called) break
    busy.value = `${k + 1} of ${those.length}: rack ${r.name} of ${r.cabinet}…`
    await lookAt(r.rack, r.rack === rack.value?.rack)
    await tell()
  }
  busy.value = ''
}
async function arm(minutes: number) {
  const answer = await ask(
    api.PUT('/api/racks/{rack}/armed', {
      params: { path: { rack: rack.value!.rack } },
      body: { minutes },
    }),
  )
  if (answer.problem) wrong.value = said(answer.problem)
  else armed.value = answer.data
}
/** Settings of modules go one way, the controller's own numbers another; what became of both is told together. */
async function write() {
  busy.value = 'writing, one by one, each read back…'
  const params = { path: { rack: rack.value!.rack } }
  const sum = { done: 0, why: '', failed: 0, restart: false, after: '' }
  for (const number of [false, true]) {
    const keys = writable.value.filter((p) => p.number === number).map((p) => p.key)
    if (!keys.length) continue
    const answer = number
      ? await ask(api.POST('/api/running/{rack}/numbers', { params, body: { keys } }))
      : await ask(api.POST('/api/racks/{rack}/write', { params, body: { keys } }))
    if (answer.problem) {
      wrong.value = said(answer.problem)
      break
    }
    const { done, failed, results } = answer.data
    const not = results.find((r) => !r.done)
    sum.done += done
    sum.failed += failed
    sum.why ||= not ? `${not.tag} ${not.says}` : ''
    sum.restart ||= 'restart' in answer.data && !!answer.data.restart
    if (!number) sum.after = (answer.data as Schemas['WritesOut']).after.join(', ')
  }
  busy.value = ''
  if (sum.done || sum.failed)
    says.value = `${sum.done} written and read back${sum.failed ? `, ${sum.failed} not: ${sum.why}` : ''}${sum.after && `, then ${sum.after}`}${
      sum.restart ? '; some of it acts only when the module has been switched off and on' : ''
    }`
  await again('reading the rack’s settings…')
}
async function adopt() {
  const edits = adoptable.value
    .filter((p) => p.entity === 'point')
    .flatMap((p) =>
      p.takes.map(({ field, text }) => ({
        point: p.entity_id,
        field,
        was: plant.list.text(field, plant.list.row(p.entity_id) ?? -1),
        text,
      })),
    )
  const parts = adoptable.value.flatMap(
    (p) => themselves.value.find((t) => t.entity === p.entity && t.entity_id === p.entity_id) ?? [],
  )
  const count = adoptable.value.length
  busy.value = 'taking it into the list…'
  const problem = edits.length ? await plant.save(edits, 'adopted from the rack') : undefined
  const noted = !parts.length || (!problem && (await noting(parts)))
  busy.value = ''
  if (!problem && noted) says.value = `${count} adopted: they are in the list now · Ctrl+Z undoes it`
  await again('reading the rack’s settings…')
}
/** What a head and modules say is what they are to have. Returns whether it was noted. */
async function noting(parts: Said[]) {
  const operations = parts.map((t) =>
    t.entity === 'module'
      ? { do: 'call', module: t.entity_id, firmware: t.says }
      : { do: 'change', what: 'rack', id: t.entity_id, field: t.field, was: t.noted, text: t.says },
  )
  const answer = await ask(
    api.POST('/api/hardware', { body: { operations, why: 'noted as the rack says', apply: true } }),
  )
  if (answer.problem) wrong.value = said(answer.problem)
  return !answer.problem
}
async function note(parts: Said[]) {
  busy.value = 'noting it…'
  const done = await noting(parts)
  busy.value = ''
  if (done) says.value = `${parts.length} noted: another one will be told · Ctrl+Z undoes it`
  await again('reading the rack’s settings…')
}
async function keep() {
  const items = picked.value.map((p) => ({
    entity: p.entity as 'point' | 'module' | 'rack',
    entity_id: p.entity_id,
    field: p.field,
    running: p.running,
  }))
  const answer = await ask(
    api.POST('/api/running/keep', { body: { items, reason: reason.value, until: until.value } }),
  )
  if (answer.problem) return void (wrong.value = said(answer.problem))
  keeping.value = false
  wrong.value = reason.value = until.value = ''
  await again('reading the rack’s settings…')
}
async function lift(number: number) {
  const answer = await ask(api.POST('/api/running/keep/end', { body: { ids: [number] } }))
  if (answer.problem) wrong.value = said(answer.problem)
  else await again('reading the rack’s settings…')
}
useUndo(() => {
  says.value = ''
  return again('reading the rack’s settings…')
})

function turn(key: string) {
  const next = new Set(chosen.value)
  if (!next.delete(key)) next.add(key)
  chosen.value = next
}
const everything = computed({
  get: () => open.value.length > 0 && picked.value.length === open.value.length,
  set: (on: boolean) => (chosen.value = new Set(on ? open.value.map((p) => p.key) : [])),
})
</script>

<template>
  <section class="running leaf">
    <header>
      <h1>Configured, issued, running</h1>
      <span class="quiet">{{
        looks?.issued ? `held against issue ${looks.issued}` : 'nothing was issued yet: list and rack alone'
      }}</span>
      <span class="gap" />
      <span v-if="totals.open" class="chip settle">▲ {{ totals.open }} with differences</span>
      <span v-if="totals.blind" class="chip bad">■ {{ totals.blind }} not compared</span>
      <span v-if="totals.clean" class="chip">✓ {{ totals.clean }} clean</span>
      <v-btn v-if="plant.may('edit') && !busy" class="act main" @click="all">look at all racks</v-btn>
      <v-btn v-else-if="busy" class="act" @click="called = true">stop</v-btn>
    </header>
    <p v-if="busy" class="quiet" role="status">{{ busy }}</p>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <p v-if="says" role="status">{{ says }}</p>
    <div class="two">
      <nav class="racks" aria-label="racks">
        <v-btn
          v-for="r in racks"
          :key="r.rack"
          class="rack option"
          :class="{ here: r.rack === rack?.rack }"
          :disabled="!r.reports || !plant.may('edit')"
          :aria-pressed="r.rack === rack?.rack"
          @click="choose(r.rack)"
        >
          <span
            class="mark"
            :class="r.says ? 'bad' : r.open || r.missing ? 'settle' : ''"
            aria-hidden="true"
            >{{ markOf(r) }}</span
          >
          <span class="words"
            ><span
              ><b class="figure">{{ r.cabinet }} · {{ r.name }}</b> {{ r.title }}</span
            ><span class="small quiet">{{
              !r.reports
                ? 'a broker: no point says where its pair or its limits stand there'
                : !r.at
                  ? 'nobody looked yet'
                  : r.says ||
                    `${r.open ? `${r.open} apart` : r.missing ? `${r.missing} not read` : 'clean'}, ${when(r.at)}`
            }}</span></span
          >
        </v-btn>
      </nav>
      <div class="panel found">
        <p v-if="!rack" class="quiet">
          Choose a rack: its settings are read, and stand beside what the list says and what was issued. What
          was turned in the rack and never brought back, what waits for its download, and what was written and
          never issued are told apart.
        </p>
        <template v-else-if="look">
          <p v-if="look.says" class="bad">■ {{ look.says }}</p>
          <p v-else-if="!open.length && !look.missing.length" role="status">
            <b>Clean.</b> Every setting that rack {{ rack.name }} of {{ rack.cabinet }} reports is what the
            list says{{ look.issued ? ' and what was issued' : ''
            }}{{ kept.length ? `; ${kept.length} kept apart with a reason` : '' }}.
          </p>
          <p v-for="text in look.missing" :key="text" class="settle small">▲ not read: {{ text }}</p>
          <div v-if="open.length" class="wide">
            <table>
              <thead>
                <tr>
                  <th>
                    <v-checkbox-btn v-model="everything" aria-label="all of them" />
                  </th>
                  <th>point</th>
                  <th>setting</th>
                  <th>configured here</th>
                  <th>issued{{ look.issued && ` ${look.issued}` }}</th>
                  <th>running</th>
                  <th>what it is</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="p in open" :key="p.key">
                  <td>
                    <v-checkbox-btn
                      :model-value="chosen.has(p.key)"
                      :aria-label="`${p.tag} ${p.setting}`"
                      @update:model-value="turn(p.key)"
                    />
                  </td>
                  <td>
                    <router-link
                      class="figure"
                      :to="
                        p.entity === 'point'
                          ? `/point/${p.entity_id}`
                          : { path: '/cabinets', query: placeOf(p) }
                      "
                      >{{ p.tag }}</router-link
                    >
                    <span class="small quiet">{{ p.address }}</span>
                  </td>
                  <td v-tip="p.where">{{ p.setting }}</td>
                  <td class="figure" :class="{ apart: p.apart === 'configured' }">
                    {{ p.configured || '—' }}
                  </td>
                  <td class="figure" :class="{ apart: p.apart === 'issued' }">
                    {{ p.issued || '—' }}
                  </td>
                  <td class="figure" :class="{ apart: p.apart === 'running' }">{{ p.running }}</td>
                  <td>
                    {{ p.stands }}
                    <span v-if="p.edited_by" class="small quiet"
                      >edited by {{ p.edited_by }}, {{ when(p.edited_at) }}</span
                    >
                    <span v-if="p.restart" class="small settle">▲ acts after a restart of the module</span>
                    <span v-else-if="p.writes && p.configured !== p.running" class="small quiet"
                      >acts when it is written</span
                    >
                    <span v-else-if="p.entity !== 'point'" class="small quiet"
                      >nobody writes it: change the part, adopt it, or keep it</span
                    >
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
          <div v-if="open.length" class="acts">
            <p v-if="trips.length" class="settle small">
              ▲ what these points can trip:
              {{ trips.map((p) => `${p.tag} ${p.trips.join('; ')}`).join(' · ') }}
            </p>
            <p class="keys">
              <v-btn
                v-if="plant.may('inject')"
                class="act main"
                :disabled="!armed?.who || !writable.length || !!busy"
                @click="write"
              >
                write the list’s {{ writable.length }}
              </v-btn>
              <v-btn
                v-if="plant.may('edit')"
                class="act"
                :disabled="!adoptable.length || !!busy"
                @click="adopt"
              >
                adopt the rack’s {{ adoptable.length }}
              </v-btn>
              <v-btn
                v-if="plant.may('engineer')"
                class="act"
                :disabled="!picked.length || !!busy"
                @click="keeping = !keeping"
              >
                keep {{ picked.length }} as they are…
              </v-btn>
              <span v-if="armed?.who" class="small armed"
                >armed by {{ armed.who }}
                <v-btn v-if="plant.may('engineer')" class="mini" @click="arm(0)">disarm</v-btn></span
              >
              <span v-else class="small quiet"
                >writing is off<template v-if="!plant.may('engineer')">; an engineer arms it</template>
                <v-btn v-if="plant.may('engineer')" class="mini" @click="arm(15)">arm for 15 min</v-btn></span
              >
            </p>
            <p v-if="restarts" class="small settle">
              ▲ some of it acts only when its module has been switched off and on
            </p>
            <form v-if="keeping" class="keys" @submit.prevent="keep">
              <DenseField
                v-model="reason"
                size="36"
                maxlength="400"
                placeholder="why it stays"
                aria-label="why it stays"
                autofocus
              />
              <DateField v-model="until" placeholder="until 2027-03-15" aria-label="until which day" />
              <v-btn type="submit" class="act main" :disabled="!reason.trim()">keep</v-btn>
            </form>
          </div>
          <p v-if="armed?.who && !open.length" class="keys">
            <span class="small armed">armed by {{ armed.who }}</span>
            <v-btn v-if="plant.may('engineer')" class="mini" @click="arm(0)">disarm</v-btn>
          </p>
          <section v-if="themselves.length" class="themselves" aria-label="what the rack says of itself">
            <p class="keys">
              <b>What it says of itself</b>
              <span v-if="toNote.length" class="small quiet">{{ toNote.length }} not noted yet</span>
              <v-btn
                v-if="toNote.length && plant.may('engineer')"
                class="act"
                :disabled="!!busy"
                @click="note(toNote)"
              >
                note {{ toNote.length === 1 ? 'it' : `all ${toNote.length}` }}
              </v-btn>
            </p>
            <dl>
              <template v-for="t in themselves" :key="`${t.entity} ${t.entity_id}`">
                <dt v-tip="t.at">
                  {{ t.name }} <span class="small quiet figure">{{ t.where }}</span>
                </dt>
                <dd>
                  <span class="figure">{{ t.says || 'says nothing now' }}</span>
                  <span class="small quiet"
                    >{{ t.noted ? (t.noted === t.says ? 'as noted' : `noted: ${t.noted}`) : 'nobody noted it'
                    }}{{ t.oldest && `; its type needs ${t.oldest} or newer` }}</span
                  >
                </dd>
              </template>
            </dl>
          </section>
          <details v-if="kept.length" class="kept" open>
            <summary>{{ kept.length }} kept apart</summary>
            <p v-for="p in kept" :key="p.key" class="small">
              <span class="figure">{{ p.tag }}</span> {{ p.setting }}: list <b>{{ p.configured }}</b>, rack
              <b>{{ p.running }}</b>. {{ keeps.get(p.kept)?.reason }}
              <span class="quiet"
                >{{ keeps.get(p.kept)?.who
                }}{{ keeps.get(p.kept)?.until && `, until ${keeps.get(p.kept)!.until}` }}</span
              >
              <v-btn v-if="plant.may('engineer')" class="mini" @click="lift(p.kept)">open it again</v-btn>
            </p>
          </details>
        </template>
      </div>
    </div>
  </section>
</template>

<style scoped>
table {
  min-width: 720px;
}

.two {
  display: grid;
  grid-template-columns: 290px minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}

.racks {
  border-top: 7px solid rgb(var(--v-theme-duct));
}

.rack {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 8px;
  width: 100%;
  margin-top: 2px;
}

.words {
  display: grid;
}

.mark.bad {
  color: rgb(var(--v-theme-bad));
}

.mark.settle {
  color: rgb(var(--v-theme-settle));
}

.found {
  display: grid;
  gap: 10px;
  padding: 12px 16px;
}

td.figure,
td .figure {
  white-space: nowrap;
}

td a {
  color: inherit;
}

td .small {
  display: block;
}

th:last-child,
td:last-child {
  padding-left: 12px;
}

td.apart {
  background: rgb(var(--v-theme-copper-wash));
  box-shadow: inset 3px 0 rgb(var(--v-theme-copper));
  padding-left: 8px;
}

.acts {
  display: grid;
  gap: 8px;
}

.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}

.themselves dl {
  display: grid;
  grid-template-columns: minmax(160px, max-content) minmax(0, 1fr);
  gap: 4px 16px;
  margin: 6px 0 0;
}

.themselves dd {
  margin: 0;
}

.themselves dd .small {
  margin-left: 10px;
}

.armed {
  padding: 2px 8px;
  border: 1px dashed rgb(var(--v-theme-apart));
  color: rgb(var(--v-theme-apart));
}

@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
