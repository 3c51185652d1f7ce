<script setup lang="ts">
/** One point unfolded: the duct with six stations, the curve, the check points, the terminals, the settings. */
import { useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { storeToRefs } from 'pinia'
import { useRoute, useRouter } from 'vue-router'
import CheckTable from '../parts/CheckTable.vue'
import CurveChart from '../parts/CurveChart.vue'
import DuctStations from '../parts/DuctStations.vue'
import FaultChip from '../parts/FaultChip.vue'
import FindingCard from '../parts/FindingCard.vue'
import PointList from '../parts/PointList.vue'
import SourceChips from '../parts/SourceChips.vue'
import StationFacts from '../parts/StationFacts.vue'
import StationSettings from '../parts/StationSettings.vue'
import TerminalSketch from '../parts/TerminalSketch.vue'
import { useBar } from '../frame/bar'
import { rackById } from '../plant/now'
import { usePlant } from '../plant/store'
import { useSearch } from '../plant/useSearch'
import { usePath, type StationName } from '../plant/usePath'
import { useEscape } from '../plant/escape'
import { isTyping } from '../kit/typing'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const point = computed(() => Number(route.params.point))
// What the point can trip is said before anything is put on its terminals.
const TRIPS = { trips: 'it', used_by: 'used by', inhibit: 'inhibit:', tell: 'tell' }
const trips = computed(() =>
  Object.entries(TRIPS).flatMap(([field, word]) => {
    const text = sheet.value?.settings.find((s) => s.field === field)?.text
    return text ? [`${word} ${text}`] : []
  }),
)
const bar = useBar()
const { query, onlyFindings, shown } = storeToRefs(bar)
const { findRows } = useSearch()
const chosen = ref<StationName>('VALUE')
const { path, sheet, whatIf, refused, problem, typeAt, giveFault, goLive } = usePath(point)

const row = computed(() => (void plant.list.version, plant.list.row(point.value) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const findings = computed(() => plant.findingsOf.get(point.value) ?? [])
const told = computed(() => [...findings.value, ...(plant.acceptedOf.get(point.value) ?? [])])
const rows = computed(() => {
  void plant.list.version
  const only = onlyFindings.value
    ? new Set([...plant.findingsOf.keys()].map((p) => plant.list.row(p) ?? -1))
    : undefined
  return findRows(query.value, only).rows
})
watch(rows, (now) => (shown.value = now.length), { immediate: true })
bar.filter(() => open(plant.list.ids[rows.value[0] ?? -1] ?? point.value))
const stale = computed(() => {
  const now = path.value
  if (!now || whatIf.value || now.age_s == null) return false
  const rack = rackById(plant, plant.list.racks[row.value] ?? 0)
  return now.age_s > ((plant.plant?.stale_after_periods ?? 2) * (rack?.period_ms ?? 1000)) / 1000
})
const trust = computed(() => {
  const now = path.value
  if (!now || now.quality === 'good') return null
  return {
    kind: now.quality === 'bad' ? 'bad' : now.quality === 'doubtful' ? 'settle' : '',
    words: now.reasons.join(' · '),
  }
})

const facts = computed(() => sheet.value?.facts.filter((s) => s.station === chosen.value) ?? [])

watch(row, (found) => found >= 0 && plant.watch([plant.list.racks[found] ?? 0]), { immediate: true })
watch(findings, (now, before) => {
  const first = now[0]
  if (first && before === undefined) chosen.value = first.station as StationName
}, { immediate: true }) // prettier-ignore

function open(next: number) {
  void router.replace(`/point/${next}`)
}

function key(event: KeyboardEvent) {
  const typing = isTyping(event.target)
  const ctrl = event.ctrlKey || event.metaKey
  const letter = event.key.toLowerCase()
  if (typing) return
  if (ctrl && (letter === 'z' || letter === 'y')) {
    event.preventDefault()
    void plant.turnBack(letter === 'y' || event.shiftKey ? 'redo' : 'undo')
  }
}
const go = (page: string) => void router.push(page)
bar.offer([
  { says: 'loop check of this point', keys: 'Alt+C', run: () => go(`/check/${point.value}`) },
  { says: 'this point alone, as on a phone', keys: 'Alt+N', run: () => go(`/now/${point.value}`) },
  { says: 'its wiring, meter and calibrator', keys: 'Alt+W', run: () => go(`/point/${point.value}/wiring`) },
])
useEscape(() => true, () => {
  if (whatIf.value) goLive()
  else if (history.state?.back?.startsWith('/list')) router.back()
  else void router.push({ path: '/list', query: { at: String(point.value) } })
}) // prettier-ignore

useEventListener('keydown', key)
</script>

<template>
  <section class="path">
    <div class="below">
      <PointList :rows="rows" :point="point" @open="open" />
      <div v-if="problem && !(path && sheet)" class="work">
        <p class="chip bad">■ {{ problem.title }}</p>
        <p>{{ problem.remedy }}</p>
        <router-link to="/list">back to the list</router-link>
      </div>
      <div v-else-if="path && sheet" class="work">
        <header>
          <h1 class="figure">{{ text('tag') }}</h1>
          <span class="service">{{ text('service') }}</span>
          <span class="quiet figure small place">{{ text('channel') || 'no channel' }}</span>
          <span v-if="trust" v-tip="trust.words" class="chip" :class="trust.kind">
            <span v-if="trust.kind" aria-hidden="true">{{ trust.kind === 'bad' ? '■' : '▲' }}</span>
            {{ trust.words }}
          </span>
          <span v-if="problem" v-tip="problem.remedy" class="chip settle">▲ {{ problem.title }}</span>
          <span class="gap" />
          <SourceChips
            :path="path"
            :what-if="whatIf"
            :injectable="sheet.injectable"
            :contact="sheet.family === 'contact'"
            :trips="trips"
            :stale="stale"
            @live="goLive"
          >
            <FaultChip :sheet="sheet" :path="path" :what-if="whatIf" @give="giveFault" />
          </SourceChips>
        </header>
        <DuctStations
          :path="path"
          :what-if="whatIf"
          :refused="refused"
          :chosen="chosen"
          :findings="findings"
          :facts="sheet.facts"
          :stale="stale"
          @type="typeAt"
          @live="goLive"
          @choose="chosen = $event"
        />
        <div class="middle">
          <CurveChart
            :curve="sheet.curve"
            :loop="path.loop ?? null"
            :value="path.value ?? null"
            :apart="path.source !== 'live'"
          />
          <CheckTable :sheet="sheet" />
          <TerminalSketch
            :point="point"
            :wiring="sheet.wiring"
            :tag="text('tag')"
            :module="sheet.module"
            :register="sheet.register_at"
          />
        </div>
        <div
          class="foot"
          :class="{ alone: !told.length && !facts.length, both: told.length && facts.length }"
        >
          <StationSettings :sheet="sheet" :station="chosen" />
          <StationFacts v-if="facts.length" :sections="facts" />
          <section v-if="told.length" class="panel findings">
            <FindingCard v-for="finding in told" :key="finding.key" :finding="finding" />
          </section>
        </div>
      </div>
      <p v-else class="work quiet">one moment…</p>
    </div>
  </section>
</template>

<style scoped>
.path {
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  height: 100%;
}

.below {
  display: grid;
  grid-template-columns: 238px minmax(0, 1fr);
  min-height: 0;
}

.work {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  padding: 12px 16px;
  overflow: auto;
}

header {
  display: flex;
  align-items: center;
  gap: 12px;
  min-width: 0;
}

h1 {
  margin: 0;
  font-size: 19px;
  white-space: nowrap;
}

.service {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.place {
  white-space: nowrap;
}

header .chip {
  overflow: hidden;
  text-overflow: ellipsis;
}

.gap {
  flex: 1;
}

.middle {
  display: grid;
  grid-template-columns: minmax(0, 0.92fr) minmax(0, 1.6fr) minmax(0, 0.72fr);
  gap: 10px;
  height: 258px;
  flex: none;
}

.foot {
  display: grid;
  grid-template-columns: minmax(0, 1.35fr) minmax(0, 1fr);
  gap: 10px;
  flex: none;
  min-height: 128px;
}

.foot.alone {
  grid-template-columns: 1fr;
}

.foot.both {
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1.1fr) minmax(0, 0.9fr);
}

.findings {
  padding: 8px 12px;
  overflow: auto;
}

@media (max-width: 1100px) {
  .below {
    grid-template-columns: 190px minmax(0, 1fr);
  }

  .middle {
    grid-template-columns: 1fr 1.3fr;
    height: auto;
  }
}

/* For the person at the device: one point, one thing under the other. */
@media (max-width: 760px) {
  .below {
    grid-template-columns: minmax(0, 1fr);
  }

  .below > :deep(.points) {
    display: none;
  }

  .work {
    padding: 8px 10px;
  }

  header {
    flex-wrap: wrap;
    gap: 6px 10px;
  }

  .middle,
  .foot,
  .foot.both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
