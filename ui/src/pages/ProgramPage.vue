<script setup lang="ts">
/**
 * Code for the controller: made from the list, beside the points that it is of, proved over every count, compared with what lies
 * elsewhere, and taken along.
 */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useClipboard, watchDebounced } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, csrfHeader, problemOf, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import { usePlant } from '../plant/store'
import { figure } from '../plant/words'
import CodeView from '../parts/program/CodeView.vue'
import ProjectPanel from '../parts/program/ProjectPanel.vue'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const AT_ONCE = 6
const SHOWN = 400
const FORMS = [
  { value: 'st', title: 'structured text' },
  { value: 'blocks', title: 'its blocks' },
  { value: 'c', title: 'C99' },
  { value: 'h', title: 'C99, header' },
]

const scopes = shallowRef<Schemas['ScopesOut'] | null>(null)
const program = shallowRef<Schemas['ProgramOut'] | null>(null)
const unit = ref('')
const form = ref('st')
const says = ref('')
const busy = ref(false)
const chosen = ref(0)
const line = ref(0)
const among = ref('')
const proofs = ref(new Map<number, Schemas['PointProofOut']>())
const pieces = shallowRef<{ points: Schemas['PointProofOut'][]; token: string }[]>([])
const mapping = shallowRef<Schemas['ProofOut'] | null>(null)
const proving = ref(false)
const renewed = ref('')
const name = ref('')
const password = ref('')
const signing = ref(false)

const choices = computed(() =>
  (scopes.value?.scopes ?? []).map((s) => ({ value: s.unit, title: `${s.kind} ${s.name}, ${s.points}` })),
)
const text = computed(() => {
  const p = program.value
  if (!p) return ''
  return { st: renewed.value || p.text, blocks: p.blocks, c: p.c, h: p.header }[form.value] ?? ''
})
const points = computed(() => {
  const out = new Map<number, number>()
  if (form.value === 'st' && !renewed.value)
    for (const code of program.value?.codes ?? []) for (const n of code.lines) out.set(n, code.point)
  return out
})
const codes = computed(() => {
  const words = among.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (program.value?.codes ?? []).filter((c) => {
    const told =
      `${c.tag} ${c.name} ${c.kind} ${c.service} ${proofs.value.get(c.point)?.says ?? ''}`.toLowerCase()
    return words.every((word) => told.includes(word))
  })
})
const here = computed(() => program.value?.codes.find((c) => c.point === chosen.value))
const wrongOnes = computed(() => [...proofs.value.values()].filter((p) => p.wrong.length))
const share = computed(() =>
  program.value?.codes.length ? proofs.value.size / program.value.codes.length : 0,
)
const whole = computed(() => !!program.value?.codes.length && share.value === 1)
const spares = computed(() =>
  Object.values(mapping.value?.spares ?? {}).reduce((n, some) => n + some.length, 0),
)
const worst = computed(() =>
  [...proofs.value.values()].reduce<Schemas['PointProofOut'] | null>(
    (most, p) => (!p.wrong.length && p.counts > (most?.counts ?? 0) ? p : most),
    null,
  ),
)

onMounted(async () => {
  const answer = await ask(api.GET('/api/program'))
  if (answer.problem) return (says.value = said(answer.problem))
  scopes.value = answer.data
  const asked = String(route.query.of ?? '')
  unit.value = answer.data.scopes.find((s) => s.unit === asked)?.unit ?? answer.data.scopes[0]?.unit ?? ''
})

let turn = 0
async function load() {
  const mine = ++turn
  proving.value = false
  if (!unit.value) return
  busy.value = true
  const answer = await ask(api.GET('/api/program/text', { params: { query: { unit: unit.value } } }))
  if (mine !== turn) return
  busy.value = false
  says.value = answer.problem ? said(answer.problem) : ''
  if (!answer.data) return (program.value = null)
  // The same text is still proved; another one is not.
  if (answer.data.digest !== program.value?.digest) {
    proofs.value = new Map()
    pieces.value = []
    mapping.value = null
  }
  renewed.value = ''
  program.value = answer.data
  if (!answer.data.codes.some((c) => c.point === chosen.value)) chosen.value = 0
}
watch(unit, (now) => {
  void router.replace({ query: { ...route.query, of: now } })
  void load()
})
// The list is everybody's: the text follows it.
watchDebounced(
  () => plant.list.version,
  () => void load(),
  { debounce: 800, maxWait: 5000 },
)

async function prove(again = false) {
  const p = program.value
  if (!p || proving.value) return
  proving.value = true
  if (again) {
    proofs.value = new Map()
    pieces.value = []
  }
  const mine = turn
  const left = p.codes.filter((c) => !proofs.value.has(c.point)).map((c) => c.point)
  do {
    const some = left.splice(0, AT_ONCE)
    const answer = await ask(api.POST('/api/program/proof', { body: { unit: p.unit, points: some } }))
    if (mine !== turn || !proving.value) return
    if (answer.problem) {
      says.value = said(answer.problem)
      break
    }
    mapping.value = answer.data
    pieces.value = [...pieces.value, { points: answer.data.points, token: answer.data.token }]
    proofs.value = new Map([...proofs.value, ...answer.data.points.map((one) => [one.point, one] as const)])
  } while (left.length)
  proving.value = false
}

function choose(point: number) {
  const code = program.value?.codes.find((c) => c.point === point)
  if (!code) return
  form.value = 'st'
  const next = chosen.value === point ? code.lines.find((n) => n > line.value) : undefined
  chosen.value = point
  // What is done with it first; where it is mapped and declared is found by asking again.
  const values = text.value.split('\n').indexOf('(* Values. *)') + 1
  line.value = next ?? code.lines.find((n) => n > values) ?? code.lines[0] ?? 0
}
function pressed(point: number) {
  chosen.value = point
}

const { copy, copied } = useClipboard({ legacy: true })

async function sign() {
  signing.value = true
  try {
    const answer = await fetch('/api/program/sheet', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', ...csrfHeader() },
      body: JSON.stringify({
        unit: unit.value,
        pieces: pieces.value,
        name: name.value,
        password: password.value,
      }),
    })
    if (!answer.ok) return void (says.value = said(problemOf(await answer.json().catch(() => undefined))))
    says.value = ''
    password.value = ''
    const link = document.createElement('a')
    link.href = URL.createObjectURL(await answer.blob())
    link.download = `${unit.value}-proof.pdf`
    link.click()
  } catch {
    says.value = said(problemOf(undefined))
  } finally {
    signing.value = false
  }
}
const result = (p: Schemas['PointProofOut'] | undefined) =>
  !p ? '' : p.wrong.length ? `■ ${p.says || p.faults[0] || p.wrong[0]}` : '✓'
</script>

<template>
  <section class="desk program">
    <header>
      <h1>controller code</h1>
      <ChoiceField v-model="unit" :items="choices" aria-label="part of the plant" />
      <ChoiceField v-model="form" :items="FORMS" aria-label="language" />
      <v-btn class="act" :disabled="!text" @click="copy(text)">{{ copied ? 'copied' : 'copy' }}</v-btn>
      <a v-if="program" class="act" :href="`/api/program/files?unit=${encodeURIComponent(unit)}`" download
        >everything as ZIP</a
      >
      <v-btn v-if="!proving" class="act main" :disabled="!program?.codes.length" @click="prove(whole)">{{
        whole ? 'prove again' : proofs.size ? 'prove the rest' : 'prove'
      }}</v-btn>
      <v-btn v-else class="act" @click="proving = false">stop</v-btn>
      <span class="gap" />
      <router-link
        v-if="scopes"
        v-tip="'the plant’s rule for its controllers'"
        to="/conventions"
        class="small quiet rule"
      >
        {{ scopes.real }}, {{ scopes.rounding }}, {{ figure(scopes.scan_ms, 0) }} ms, names of
        {{ scopes.longest_name }}
      </router-link>
    </header>
    <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    <p v-if="proving || proofs.size" class="line" role="status">
      <v-progress-linear v-if="proving" class="bar" :model-value="100 * share" aria-label="proved" />
      <span
        >{{ proofs.size }} of {{ program?.codes.length }} points run over every count and through time</span
      >
      <span v-if="wrongOnes.length" class="bad">■ {{ wrongOnes.length }} not as the list says</span>
      <span v-else-if="whole">✓ all proved</span>
      <span v-if="worst" class="quiet"
        >largest difference {{ figure(worst.counts, 4) }} counts, at {{ worst.tag }}</span
      >
      <span v-if="mapping && !mapping.wrong.length" class="quiet"
        >{{ mapping.mapped }} mapped exactly once, {{ spares }} spares</span
      >
      <span v-for="w in mapping?.wrong.slice(0, 3)" :key="w" class="bad">■ {{ w }}</span>
    </p>
    <form v-if="whole && !wrongOnes.length && plant.may('edit')" class="line" @submit.prevent="sign">
      <DenseField v-model="name" size="18" placeholder="your name" aria-label="your name" />
      <DenseField
        v-model="password"
        type="password"
        size="18"
        placeholder="your password once more"
        aria-label="your password once more"
        autocomplete="current-password"
      />
      <v-btn class="act" type="submit" :disabled="!name.trim() || signing">{{
        signing ? 'signing…' : 'sign the proof sheet, PDF'
      }}</v-btn>
    </form>
    <p v-if="scopes && !scopes.scopes.length" class="quiet">
      There is no cabinet and no area yet: <router-link to="/cabinets">place modules</router-link>, land
      points on them, and their code stands here.
    </p>
    <p v-else-if="busy && !program" class="quiet" role="status">generating…</p>
    <div v-else-if="program" class="both">
      <CodeView
        class="text"
        :text="text"
        :points="points"
        :chosen="chosen"
        :line="form === 'st' ? line : 0"
        :label="`code of ${program.name}`"
        @choose="pressed"
      />
      <aside>
        <div v-if="here" class="panel" aria-label="the point that is chosen">
          <p>
            <router-link class="figure tag" :to="`/point/${here.point}`">{{ here.tag }}</router-link>
            {{ here.service }}
          </p>
          <p class="quiet">
            {{ here.kind }}, in the code {{ here.name }}; {{ here.lines.length }} lines
            <v-btn class="mini" @click="choose(here.point)">next of them</v-btn>
            <router-link class="mini" :to="`/now/${here.point}`">its timing</router-link>
          </p>
          <p v-for="n in here.notes" :key="n" class="quiet">{{ n }}</p>
          <p v-if="proofs.get(here.point)" :class="{ bad: proofs.get(here.point)!.wrong.length }">
            {{ result(proofs.get(here.point)) }}
            {{ figure(proofs.get(here.point)!.words, 0) }} words<template v-if="proofs.get(here.point)!.scans"
              >, {{ proofs.get(here.point)!.sequences }} sequences of
              {{ proofs.get(here.point)!.scans }} scans</template
            ><template v-if="proofs.get(here.point)!.units"
              >; off by {{ proofs.get(here.point)!.units.toPrecision(2) }}
              {{ proofs.get(here.point)!.unit }} at most</template
            >
          </p>
          <p v-for="f in proofs.get(here.point)?.faults" :key="f" class="bad">■ {{ f }}</p>
        </div>
        <p v-for="r in program.refused.slice(0, 12)" :key="r.point" class="settle">
          ▲
          <router-link class="figure tag" :to="`/point/${r.point}`">{{ r.tag || 'no tag' }}</router-link> has
          no code:
          {{ r.says }}
        </p>
        <p v-if="program.refused.length > 12" class="settle">▲ and {{ program.refused.length - 12 }} more</p>
        <DenseField
          v-model="among"
          type="search"
          size="22"
          placeholder="tag, kind, result"
          aria-label="which points"
        />
        <table class="ledger">
          <thead>
            <tr>
              <th>point</th>
              <th></th>
              <th>proof</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="c in codes.slice(0, SHOWN)" :key="c.point" :class="{ on: c.point === chosen }">
              <td>
                <v-btn class="mini figure" :aria-pressed="c.point === chosen" @click="choose(c.point)">{{
                  c.tag
                }}</v-btn>
              </td>
              <td class="quiet">{{ c.kind }}</td>
              <td :class="{ bad: proofs.get(c.point)?.wrong.length }">{{ result(proofs.get(c.point)) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="codes.length > SHOWN" class="quiet">and {{ codes.length - SHOWN }} more: look for a tag</p>
        <p v-if="!program.codes.length" class="quiet">no point of it has code yet</p>
      </aside>
    </div>
    <ProjectPanel v-if="program" :unit="unit" @choose="choose" @renewed="renewed = $event" />
  </section>
</template>

<style scoped src="../parts/check/desk.css"></style>
<style scoped>
.both {
  display: grid;
  flex: 1 1 auto;
  grid-template-columns: minmax(0, 1fr) minmax(250px, 330px);
  gap: 12px;
  min-height: 380px;
}

.text {
  min-height: 0;
  max-height: 100%;
}

aside {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  overflow: auto;
}

.bar {
  flex: 0 1 160px;
}

tr.on {
  background: rgb(var(--v-theme-copper), 0.14);
}

.rule {
  text-decoration: none;
}

@media (max-width: 760px) {
  .both {
    display: flex;
    flex: none;
    flex-direction: column;
  }

  .text {
    flex: none;
    height: 55vh;
  }

  aside {
    max-height: 60vh;
  }
}
</style>
