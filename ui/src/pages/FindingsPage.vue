<script setup lang="ts">
/** Everything that does not agree, by its cause and dearest first; the six stations on top say where it lies. */
import { useEventListener, useMediaQuery } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import LiveFindings from '../parts/LiveFindings.vue'
import FindingGroup from '../parts/FindingGroup.vue'
import { accepted, byCause, harmOf, mark, together, type Group } from '../plant/findings'
import { usePlant } from '../plant/store'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'
import { isTyping } from '../kit/typing'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const catalogue = shallowRef<Schemas['RulesOut'] | null>(null)
const query = ref('')
const station = ref('')
const shown = ref<'open' | 'accepted' | 'rules'>('open')
const box = ref<HTMLElement | null>(null)

onMounted(async () => {
  const answer = await ask(api.GET('/api/rules'))
  if (answer.problem) plant.say(answer.problem.title, 'bad')
  else catalogue.value = answer.data
})

const harms = computed(() => (catalogue.value?.harms ?? []).map((h) => h.name))
const groups = computed(() => byCause(plant.findings.values(), harms.value))
const open = computed(() => groups.value.filter((g) => !g.accepted))
const done = computed(() => groups.value.filter((g) => g.accepted))
const counts = computed(() => {
  const out: Record<string, number> = { bad: 0, settle: 0, note: 0, accepted: 0 }
  for (const finding of plant.findings.values()) out[accepted(finding) ? 'accepted' : finding.severity]!++
  return out
})
const stations = computed(() => {
  const out = new Map((plant.plant?.stations ?? []).map((name) => [name, 0]))
  let other = 0
  for (const group of shown.value === 'accepted' ? done.value : open.value)
    if (out.has(group.station)) out.set(group.station, out.get(group.station)! + group.findings.length)
    else other += group.findings.length
  return [...out, ['beside the path', other] as const]
})
const tags = (points: number[]) => points.map((p) => plant.list.text('tag', plant.list.row(p) ?? -1))
const whereOf = (g: Group) =>
  g.cause || tags(g.points.slice(0, 3)).join(', ') + (g.points.length > 3 ? ` +${g.points.length - 3}` : '')
const isOn = (name: string) => (name === station.value ? '' : name)
const rows = computed(() => {
  void plant.list.version
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (shown.value === 'accepted' ? done.value : open.value).filter((g) => {
    const here = plant.plant?.stations.includes(g.station) ? g.station : 'beside the path'
    if (station.value && station.value !== here) return false
    if (!words.length) return true
    const hay =
      `${g.rule} ${plant.plant?.rules[g.rule]} ${g.text} ${g.cause} ${tags(g.points).join(' ')}`.toLowerCase()
    return words.every((word) => hay.includes(word))
  })
})
const rules = computed(() => {
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (catalogue.value?.rules ?? []).filter((r) =>
    words.every((word) => `${r.id} ${r.name} ${r.looks} ${r.source}`.toLowerCase().includes(word)),
  )
})
const found = computed(() => {
  const out = new Map<string, number>()
  for (const finding of plant.findings.values()) out.set(finding.rule, (out.get(finding.rule) ?? 0) + 1)
  return out
})
/** The group that the address names by one of its findings; where it has gone, the one that stands in its place. */
const wanted = computed(() => {
  const key = route.query.at
  return key ? groups.value.find((g) => g.findings.some((f) => f.key === key)) : undefined
})
const stood = ref(0)
const place = computed(() => {
  const found = wanted.value ? rows.value.indexOf(wanted.value) : -1
  return found >= 0 ? found : Math.min(stood.value, rows.value.length - 1)
})
const more = ref(new Set<string>())
/** What is chosen beside the one that is open: with Ctrl, with Shift, or all of its rule. */
const chosen = computed(() => {
  const first = rows.value[place.value]
  return rows.value.filter((g) => g === first || more.value.has(g.key))
})
const group = computed(() => together(chosen.value))
const UNDER = 'under-the-open-line'
const narrow = useMediaQuery('(max-width: 900px)')
/** The line under which the details unfold: the last of those that are chosen. */
const last = computed(() => chosen.value.at(-1))
const alike = computed(() => rows.value.filter((g) => g.rule === group.value?.rule))

// Where one comes from a finding, its group is the one that is open, also when the findings come later.
watch(wanted, (now, before) => {
  if (now && !before) shown.value = now.accepted ? 'accepted' : 'open'
}, { immediate: true }) // prettier-ignore
watch(place, (now) => { if (now >= 0 && wanted.value) stood.value = now }) // prettier-ignore
watch([query, station, shown], () => (stood.value = 0))

function pick(event: MouseEvent, key: string) {
  const next = new Set(more.value)
  if (event.shiftKey) {
    const [from, to] = [Math.max(0, place.value), rows.value.findIndex((g) => g.key === key)].sort(
      (a, b) => a - b,
    )
    for (const g of rows.value.slice(from, to! + 1)) next.add(g.key)
  } else if (event.ctrlKey || event.metaKey) {
    if (!next.delete(key)) next.add(key)
  } else return choose(key)
  more.value = next
}

function choose(key: string) {
  more.value = new Set()
  void router.replace({ query: { at: groups.value.find((g) => g.key === key)?.findings[0]?.key } })
}

function step(by: number) {
  const next = rows.value[Math.max(0, Math.min(rows.value.length - 1, Math.max(0, place.value) + by))]
  if (!next) return
  choose(next.key)
  box.value?.querySelectorAll('[role=option]')[rows.value.indexOf(next)]?.scrollIntoView({ block: 'nearest' })
}

function key(event: KeyboardEvent) {
  const typing = isTyping(event.target)
  const ctrl = event.ctrlKey || event.metaKey
  const letter = event.key.toLowerCase()
  if (typing) return
  else if (ctrl && (letter === 'z' || letter === 'y')) {
    event.preventDefault()
    void plant.turnBack(letter === 'y' || event.shiftKey ? 'redo' : 'undo')
  } else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault()
    step(event.key === 'ArrowDown' ? 1 : -1)
  } else if (letter === 'a' && ctrl && box.value?.contains(event.target as Node)) {
    event.preventDefault()
    more.value = new Set(rows.value.map((g) => g.key))
  } else if (event.key === 'Enter' && event.target === box.value && group.value?.points.length)
    void router.push(`/point/${group.value.points[0]}`)
}
useEscape(() => query.value || station.value, () => (query.value = station.value = '')) // prettier-ignore
useEventListener('keydown', key)
</script>

<template>
  <section class="all">
    <header>
      <h1>Findings</h1>
      <DenseField
        v-model="query"
        type="search"
        class="find"
        placeholder="tag, rule, words"
        aria-label="find in findings"
      />
      <span v-if="counts.bad" class="chip bad"><span aria-hidden="true">■</span> {{ counts.bad }} bad</span>
      <span v-if="counts.settle" class="chip settle"
        ><span aria-hidden="true">▲</span> {{ counts.settle }} to settle</span
      >
      <span v-if="counts.note" class="chip"><span aria-hidden="true">○</span> {{ counts.note }} to know</span>
      <span class="gap" />
      <v-btn
        v-for="[what, words] in [
          ['open', 'open'],
          ['accepted', `accepted ${counts.accepted}`],
          ['rules', 'what is looked at'],
        ] as const"
        :key="what"
        class="chip"
        :class="{ on: shown === what }"
        :aria-pressed="shown === what"
        @click="shown = what"
      >
        {{ words }}
      </v-btn>
    </header>
    <LiveFindings v-if="shown === 'open'" />
    <div v-if="shown !== 'rules'" class="duct" role="group" aria-label="where it lies">
      <v-btn
        v-for="[name, many] in stations"
        :key="name"
        class="stop"
        :class="{ none: !many, on: station === name, beside: name === 'beside the path' }"
        :aria-pressed="station === name"
        :disabled="!many && station !== name"
        @click="station = isOn(name)"
      >
        <b>{{ name }}</b><span class="figure">{{ many || '—' }}</span>
      </v-btn>
    </div>
    <div v-if="shown === 'rules'" class="rules">
      <table>
        <thead>
          <tr>
            <th>rule</th>
            <th>looks at</th>
            <th>what it could cost</th>
            <th>after</th>
            <th class="right">found</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rules" :key="r.id" :class="{ quiet: r.grade === 'off' }">
            <td>
              <span aria-hidden="true">{{ mark({ severity: r.grade || r.severity }) }}</span> {{ r.name }}
              <span class="quiet figure small">{{ r.id }}</span>
              <span v-if="r.grade" class="small quiet"> · {{ r.grade }}, the plant says</span>
            </td>
            <td>{{ r.looks }}</td>
            <td>{{ catalogue && harmOf(catalogue, r.harm) }}</td>
            <td class="quiet">{{ r.source }}</td>
            <td class="right figure">{{ found.get(r.id) ?? '—' }}</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet small">
        How severe a rule is taken is the plant's own matter:
        <router-link to="/conventions">Rules, severities</router-link>, as in “R37 off; R25 note”.
      </p>
    </div>
    <p v-else-if="!rows.length" class="quiet nothing">
      <template v-if="query || station">Nothing like that. Esc shows all of it again.</template>
      <template v-else-if="shown === 'accepted'"
        >Nothing is accepted as it is. A finding that is meant to be so can be, with a reason that is printed
        with the list.</template
      >
      <template v-else
        ><b>Everything agrees.</b> {{ rules.length }} rules look at {{ plant.list.length }} points with each
        change; what they find will stand here.</template
      >
    </p>
    <div v-else class="two">
      <div
        ref="box"
        class="groups"
        role="listbox"
        aria-label="causes"
        aria-multiselectable="true"
        tabindex="0"
      >
        <template v-for="g in rows" :key="g.key">
          <v-btn
            role="option"
            tabindex="-1"
            class="group"
            :class="[g.accepted ? 'accepted' : g.severity, { here: chosen.includes(g) }]"
            :aria-selected="chosen.includes(g)"
            @click="pick($event, g.key)"
          >
            <span class="shape" aria-hidden="true">{{ mark(g.findings[0]!) }}</span>
            <span class="words"
              ><span class="text">{{ g.text }}</span
              ><span class="small quiet"
                >{{ [plant.plant?.rules[g.rule], whereOf(g)].filter(Boolean).join(' · ')
                }}<template v-if="g.trips"> · <b>shuts something</b></template></span
              ></span
            >
            <span v-tip="`${g.points.length} points`" class="figure many">{{
              g.points.length > 1 ? `×${g.points.length}` : ''
            }}</span>
          </v-btn>
          <!-- On a phone what is open unfolds under its line: the end of a long list is far away. -->
          <div v-if="narrow && g === last" :id="UNDER" role="presentation"></div>
        </template>
      </div>
      <Teleport
        v-if="group && catalogue"
        :key="`${narrow} ${last?.key}`"
        defer
        :disabled="!narrow"
        :to="`#${UNDER}`"
      >
        <FindingGroup :key="group.key" :group="group" :catalogue="catalogue">
          <v-btn
            v-if="alike.length > chosen.length"
            class="mini"
            @click="more = new Set(alike.map((g) => g.key))"
          >
            take all {{ alike.length }} of this rule together
          </v-btn>
          <v-btn v-else-if="chosen.length > 1" class="mini" @click="more = new Set()">
            {{ chosen.length }} taken together: only the first
          </v-btn>
        </FindingGroup>
      </Teleport>
    </div>
  </section>
</template>

<style scoped>
.all {
  display: flex;
  flex-direction: column;
  gap: 12px;
  height: 100%;
  padding: 14px 20px;
}

header {
  display: flex;
  gap: 8px;
  align-items: center;
}

h1 {
  margin: 0 8px 0 0;
  font-size: 18px;
}

.gap {
  flex: 1;
}

.find {
  width: 220px;
}

/* The six stations in the order of the path, as hang from the duct elsewhere. */
.duct {
  display: grid;
  grid-template-columns: repeat(6, 1fr) 1fr;
  gap: 2px 14px;
  border-top: 7px solid rgb(var(--v-theme-duct));
}

.stop {
  display: flex;
  justify-content: space-between;
  padding: 5px 9px;
  border: 1px solid rgb(var(--v-theme-line));
  border-top: 0;
  border-radius: 0 0 var(--radius) var(--radius);
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
  font-size: 12px;
  letter-spacing: 0.02em;
  cursor: pointer;
}

.stop.none {
  color: rgb(var(--v-theme-quiet));
  cursor: default;
}

.stop.none b {
  font-weight: 400;
}

.stop.on {
  border-color: rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-copper-wash));
}

.stop.beside {
  border-style: dashed;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(360px, 44%);
  gap: 14px;
  min-height: 0;
  flex: 1;
}

.groups {
  overflow: auto;
  border: 1px solid rgb(var(--v-theme-line));
  border-radius: var(--radius);
  background: rgb(var(--v-theme-surface));
}

.group {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  gap: 8px;
  width: 100%;
  padding: 7px 12px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.group.here {
  background: rgb(var(--v-theme-copper-wash));
  box-shadow: inset 3px 0 rgb(var(--v-theme-copper));
}

.words {
  display: grid;
  gap: 1px;
}

.text {
  display: -webkit-box;
  overflow: hidden;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  -webkit-box-orient: vertical;
}

.group.bad .shape {
  color: rgb(var(--v-theme-bad));
}

.group.settle .shape {
  color: rgb(var(--v-theme-settle));
}

.rules {
  overflow: auto;
}

.rules table {
  width: 100%;
  border-collapse: collapse;
}

.rules th,
.rules td {
  padding: 4px 12px 4px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  text-align: left;
  vertical-align: top;
}

.rules .right {
  text-align: right;
}

.nothing {
  padding: 24px 4px;
}

@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
    flex: none;
  }

  .all {
    padding: 10px 12px;
    overflow: auto;
  }

  header {
    flex-wrap: wrap;
  }

  .group {
    white-space: normal;
  }
}

@media (max-width: 600px) {
  .duct {
    grid-template-columns: repeat(3, 1fr);
  }

  .stop.beside {
    grid-column: span 3;
  }
}
</style>
