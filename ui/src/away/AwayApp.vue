<script setup lang="ts">
/** A package of work that was taken along: its points, what was read at each, saved in this browser and handed back as a file. */
import { computed, onMounted, reactive, ref, toRaw, watch } from 'vue'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import AwayPoint from './AwayPoint.vue'
import { empty, results, stateOf, type Kept, type Mark, type Package, type State } from './model'
import { keep, keptOf } from './store'

const props = defineProps<{ taken: Package }>()
const kept = reactive<Kept>({
  person: { tester: '', instrument: '', serial: '', due: '' },
  work: {},
  punches: [],
  marks: [],
})
const at = ref<number | null>(null)
const query = ref('')
const says = ref('')
const saved = ref(true)
const MARKS: Record<State, string> = { untouched: '○', begun: '◐', passed: '✓', failed: '■' }

const shown = computed(() => {
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  return props.taken.points.filter((p) => {
    const text = `${p.tag} ${p.service} ${p.area} ${p.channel} ${p.system}`.toLowerCase()
    return words.every((word) => text.includes(word))
  })
})
const done = computed(() => props.taken.points.filter((p) => kept.work[p.id]?.done).length)
const point = computed(() => props.taken.points.find((p) => p.id === at.value))
const instruments = computed(() => props.taken.instruments)

/** One write at a time, the newest state last: what is on the screen is what is kept. */
let writing = Promise.resolve()
let ready = false
watch(
  kept,
  () => {
    if (!ready) return
    saved.value = false
    const now = JSON.parse(JSON.stringify(toRaw(kept))) as Kept
    writing = writing
      .then(() => keep(props.taken.code, now))
      .then(
        () => void (saved.value = true),
        () =>
          void (says.value =
            'this browser keeps nothing: save the results as a file before you close the page'),
      )
  },
  { deep: true, flush: 'sync' },
)
onMounted(async () => {
  try {
    Object.assign(kept, (await keptOf(props.taken.code)) ?? {})
  } catch {
    says.value = 'this browser keeps nothing: save the results as a file before you close the page'
  }
  ready = true
})

function open(id: number) {
  const one = props.taken.points.find((p) => p.id === id)!
  kept.work[id] ??= empty(one)
  at.value = id
  scrollTo?.(0, 0)
}

/** A rung is marked, or the mark taken off again. */
function mark(one: Mark) {
  const known = kept.marks.findIndex((m) => m.point === one.point && m.rung === one.rung)
  if (known >= 0) kept.marks.splice(known, 1)
  else kept.marks.push(one)
}

function choose(name: string) {
  const one = instruments.value.find((x) => x.name === name)
  if (one) Object.assign(kept.person, { instrument: one.name, serial: one.serial, due: one.due })
}

function hand() {
  const text = JSON.stringify(results(props.taken, kept))
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([text], { type: 'application/json' }))
  link.download = `${props.taken.package.replace(/[^\p{L}\p{N}-]+/gu, '-')}-${props.taken.code}.canaleta-results.json`
  link.click()
  says.value = `${done.value} points are in the file: bring it back on the page “packages”`
}
</script>

<template>
  <v-app>
    <v-main>
      <header>
        <h1>{{ taken.package }}</h1>
        <p class="quiet">
          {{ taken.plant }} · taken along by {{ taken.who }},
          {{ taken.taken_at.slice(0, 16).replace('T', ' ') }} · {{ done }} of {{ taken.points.length }} done ·
          <span role="status">{{ saved ? 'kept in this browser' : 'being kept…' }}</span>
        </p>
        <p v-if="says" class="settle" role="status">▲ {{ says }}</p>
      </header>
      <AwayPoint
        v-if="point && kept.work[point.id]"
        :key="point.id"
        v-model="kept.work[point.id]!"
        :point="point"
        :person="kept.person"
        :punches="kept.punches"
        :marks="kept.marks"
        @back="at = null"
        @punch="kept.punches.push($event)"
        @mark="mark"
      />
      <template v-else>
        <section class="card">
          <label
            >your name <DenseField v-model="kept.person.tester" maxlength="80" autocomplete="name"
          /></label>
          <div v-if="instruments.length" class="label">
            with
            <ChoiceField
              :model-value="
                instruments.some((x) => x.name === kept.person.instrument) ? kept.person.instrument : ''
              "
              aria-label="which instrument"
              :items="[...instruments.map((x) => x.name), { value: '', title: 'another…' }]"
              @update:model-value="choose(String($event))"
            />
          </div>
          <label>instrument <DenseField v-model="kept.person.instrument" maxlength="200" /></label>
          <label>serial <DenseField v-model="kept.person.serial" maxlength="200" /></label>
          <label
            >calibrated until <DenseField v-model="kept.person.due" maxlength="10" placeholder="2027-03"
          /></label>
        </section>
        <div class="keys">
          <DenseField v-model="query" type="search" placeholder="find a point" aria-label="find a point" />
          <v-btn
            class="act main"
            :disabled="!done && !kept.punches.length && !kept.marks.length"
            @click="hand"
          >
            save the results as a file
          </v-btn>
        </div>
        <v-btn v-for="p in shown" :key="p.id" class="row" @click="open(p.id)">
          <span aria-hidden="true" :class="stateOf(p, kept.work[p.id])">{{
            MARKS[stateOf(p, kept.work[p.id])]
          }}</span>
          <b class="figure">{{ p.tag }}</b> <span>{{ p.service }}</span>
          <span class="quiet">{{ p.channel }} · {{ stateOf(p, kept.work[p.id]) }}</span>
        </v-btn>
        <p v-if="!shown.length" class="quiet">no point is called so</p>
      </template>
    </v-main>
  </v-app>
</template>

<style scoped>
.v-main {
  box-sizing: border-box;
  width: 100%;
  max-width: 900px;
  margin: 0 auto;
  padding: 12px;
}

h1 {
  margin: 0;
  font-size: 20px;
}

p {
  margin: 4px 0;
}

section {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(240px, 1fr));
  gap: 6px 14px;
}

label,
.label {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  align-items: center;
}

.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0;
}

.keys :deep(input) {
  flex: 1;
}

.v-btn.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
  width: 100%;
  min-height: 44px;
  padding: 8px 4px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  color: rgb(var(--v-theme-ink));
  text-align: left;
}

.row .quiet {
  margin-left: auto;
}

.passed {
  color: rgb(var(--v-theme-copper));
}

.failed {
  color: rgb(var(--v-theme-bad));
}
</style>
