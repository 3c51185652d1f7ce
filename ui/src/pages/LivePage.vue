<script setup lang="ts">
/** The live board: points one chooses, large, with state and trend; what is in trouble stands first. */
import { useIntervalFn, useTimeoutFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import LiveCard from '../parts/live/LiveCard.vue'
import PointNow from '../parts/live/PointNow.vue'
import { byWhy, lostRacks, nowOf } from '../plant/now'
import { whenLineIsBack } from '../plant/lineBack'
import { latest } from '../plant/latest'
import { usePlant } from '../plant/store'
import { BOARD_AGAIN_MS, CARD_COLUMNS, PART_LATER_MS, SCAN_LATER_MS } from '../plant/trending'
import { useSearch } from '../plant/useSearch'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'
import { rove } from '../kit/rove'
import ChoiceField from '../kit/ChoiceField.vue'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const { findRows } = useSearch()
const MOST = 200
/** Lines at most that say which racks are lost. */
const MOST_LOST = 3
const RANGES = [[60, '1 min'], [300, '5 min'], [3600, '1 h'], [28_800, '8 h'], [86_400, '1 d']] as const // prettier-ignore

const boards = shallowRef<Schemas['BoardOut'][]>([])
const name = computed(() => (route.query.board as string) ?? '')
const query = ref((route.query.find as string) ?? '')
const byTrouble = ref(localStorage.getItem('canaleta-board-sort') !== 'list')
const seconds = ref(300)
const stations = ref(false)
const trends = shallowRef<ReadonlyMap<number, Schemas['TrendOut']>>(new Map())
const open = ref<number | null>(null)
const keeping = ref('')
const forAll = ref(false)
const order = shallowRef<number[]>([])
/** The card that Tab reaches; the arrows go on from it. */
const hand = ref(0)
const reached = computed(() => (shown.value.includes(hand.value) ? hand.value : shown.value[0]))

const board = computed(() => boards.value.find((b) => b.name === name.value))
/** What is found, or what the board holds; without either, what is read and in trouble, or simply what is read. */
const chosen = computed(() => {
  void plant.list.version
  if (query.value.trim()) return findRows(query.value).rows.map((row) => plant.list.ids[row]!)
  if (board.value) return board.value.points.filter((p) => plant.list.row(p) !== undefined)
  return plant.list.ids.filter((_, row) => plant.list.racks[row])
})
const shown = computed(() => order.value.slice(0, MOST))
/** Once a second is soon enough to count: of ten racks one is read every tenth of it. */
const second = ref(0)
useIntervalFn(() => second.value++, 1000)
const troubled = computed(() => {
  void second.value
  void order.value
  return chosen.value.filter((p) => nowOf(plant, p).trouble >= 40).length
})

/** The racks on this board that give no readings, by why they do not. */
const lost = computed(() => {
  void second.value
  const here = new Set(chosen.value.map((p) => plant.list.racks[plant.list.row(p) ?? -1] ?? 0))
  return byWhy(lostRacks(plant).filter((rack) => here.has(rack.id)))
})

/** Sort when asked and every few seconds, not with each reading: a card that jumps away cannot be clicked. */
function sort() {
  const points = [...chosen.value]
  if (byTrouble.value) {
    const trouble = new Map(points.map((p) => [p, nowOf(plant, p).trouble]))
    points.sort((a, b) => trouble.get(b)! - trouble.get(a)! || a - b)
  }
  order.value = points
}

async function load() {
  const answer = await ask(api.GET('/api/boards'))
  boards.value = answer.data?.boards ?? []
}

async function keep() {
  const title = keeping.value.trim()
  if (!title) return
  const answer = await ask(
    api.PUT('/api/boards/{name}', {
      params: { path: { name: title } },
      body: { points: chosen.value.slice(0, 500), shared: forAll.value },
    }),
  )
  if (answer.problem) return plant.say(answer.problem.title, 'bad')
  keeping.value = ''
  query.value = ''
  await load()
  void router.replace({ query: { board: title } })
}

async function drop() {
  if (!board.value) return
  const gone = board.value
  const answer = await ask(api.DELETE('/api/boards/{name}', { params: { path: { name: gone.name } } }))
  if (answer.problem) return plant.say(answer.problem.title, 'bad')
  boards.value = answer.data.boards
  plant.say(`the board “${gone.name}” is dropped; its points are still on the list`)
  void router.replace({ query: {} })
}

const AT_ONCE = 60
/** The past of every card, sixty points a request; what comes after goes on by itself. */
const readTrends = latest(async () => {
  if (stations.value) return
  const points = [...shown.value]
  const next = new Map<number, Schemas['TrendOut']>()
  for (let at = 0; at < points.length; at += AT_ONCE) {
    const some = points.slice(at, at + AT_ONCE).join(',')
    const query = { points: some, seconds: seconds.value, columns: CARD_COLUMNS }
    const answer = await ask(api.GET('/api/trends', { params: { query } }))
    for (const trend of answer.data?.trends ?? []) next.set(trend.point, trend)
  }
  trends.value = next
})

watch(chosen, sort, { immediate: true })
watch(byTrouble, (now) => (localStorage.setItem('canaleta-board-sort', now ? 'trouble' : 'list'), sort()))
watch(shown, (points) => {
  const racks = points.map((p) => plant.list.racks[plant.list.row(p) ?? -1] ?? 0)
  plant.watch([...new Set(racks)])
}, { immediate: true }) // prettier-ignore
watch(
  [stations, shown],
  () => plant.showStations(stations.value ? [...shown.value].sort((a, b) => a - b) : []),
  { immediate: true },
)
whenLineIsBack(plant, readTrends)
watch([seconds, stations, () => [...shown.value].sort((a, b) => a - b).join()], () => void readTrends())

/** The first readings decide the order; from then on it is looked at every few seconds. */
let settled = 0
const unheard = plant.live.onBlock(() => settled++ < 12 && sort())
onMounted(load)
useIntervalFn(sort, 5000)
useIntervalFn(() => seconds.value > 600 && void readTrends(), BOARD_AGAIN_MS)
onMounted(readTrends)
for (const later of [SCAN_LATER_MS, PART_LATER_MS]) useTimeoutFn(readTrends, later)
onUnmounted(() => {
  unheard()
  plant.showStations([])
})

const beside = ref<HTMLElement | null>(null)
useEscape(() => open.value !== null, () => (open.value = null), beside) // prettier-ignore
</script>

<template>
  <section class="live">
    <div class="tools">
      <DenseField
        v-model="query"
        class="find"
        type="search"
        placeholder="kiln 2 signal:tc"
        aria-label="find points to watch"
      />
      <ChoiceField
        :model-value="name"
        aria-label="board"
        :items="[
          { value: '', title: 'everything that is read' },
          ...boards.map((b) => ({ value: b.name, title: `${b.name}${b.shared ? ' (everybody’s)' : ''}` })),
        ]"
        @update:model-value="router.replace({ query: { board: $event || undefined } })"
      />
      <v-btn class="chip" :class="{ on: byTrouble }" @click="byTrouble = !byTrouble">
        {{ byTrouble ? 'trouble first' : 'in the list’s order' }}
      </v-btn>
      <span class="chip" :class="{ settle: troubled }"
        ><template v-if="troubled">▲ </template>{{ troubled ? `${troubled} in trouble` : 'all well' }} of
        {{ chosen.length }}</span
      >
      <span v-if="chosen.length > MOST" class="chip quiet">the first {{ MOST }} are shown</span>
      <v-btn
        v-for="[s, says] in RANGES"
        :key="s"
        class="chip"
        :class="{ on: seconds === s && !stations }"
        @click="((seconds = s), (stations = false))"
      >
        {{ says }}
      </v-btn>
      <v-btn class="chip" :class="{ on: stations }" @click="stations = !stations"> six stations </v-btn>
      <span class="gap" />
      <form class="keep" @submit.prevent="keep">
        <DenseField
          v-model="keeping"
          aria-label="name of the board"
          placeholder="keep these as…"
          maxlength="40"
        />
        <v-checkbox v-if="plant.may('edit')" v-model="forAll" label="everybody" />
        <v-btn class="act" type="submit" :disabled="!keeping.trim()">keep</v-btn>
      </form>
      <v-btn v-if="board" class="act" @click="drop">drop “{{ board.name }}”</v-btn>
    </div>
    <ul v-if="lost.length" class="lost" role="status">
      <li v-for="one in lost.slice(0, MOST_LOST)" :key="one.why">
        <b>■ {{ one.names }}</b
        >: {{ one.why }} · {{ one.since }}
      </li>
      <li v-if="lost.length > MOST_LOST">and {{ lost.length - MOST_LOST }} more</li>
    </ul>
    <div class="below" :class="{ beside: open !== null }">
      <div class="board">
        <div class="comb" aria-hidden="true"></div>
        <p v-if="!shown.length" class="empty">
          <template v-if="query">nothing on the list is found by “{{ query }}”</template>
          <template v-else>no point holds a channel yet: land one on the list, then it is read</template>
        </p>
        <div v-else class="cards" @keydown="rove($event, '.cards > *')">
          <LiveCard
            v-for="p in shown"
            :key="p"
            :point="p"
            :on="open === p"
            :seconds="seconds"
            :trend="trends.get(p) ?? null"
            :stations="stations ? (plant.stationsNow.get(p) ?? [null, null, null, null, null, null]) : null"
            :tabindex="p === reached ? 0 : -1"
            role="button"
            @focus="hand = p"
            @click="open = open === p ? null : p"
            @keydown.enter="open = p"
          />
        </div>
      </div>
      <aside v-if="open !== null" ref="beside" class="beside-it">
        <PointNow :key="open" :point="open" @close="open = null" />
      </aside>
    </div>
  </section>
</template>

<style scoped>
.live {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr);
  height: 100%;
}

.find {
  width: 220px;
}

.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  padding: 6px 14px;
}

.gap {
  flex: 1;
}

.keep {
  display: flex;
  align-items: center;
  gap: 6px;
}

.keep input[placeholder] {
  width: 120px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

.lost {
  grid-row: 3;
  margin: 0;
  padding: 0 14px 6px;
  color: rgb(var(--v-theme-bad));
  list-style: none;
}

.below {
  display: grid;
  grid-row: 4;
  grid-template-columns: minmax(0, 1fr);
  min-height: 0;
}

.below.beside {
  grid-template-columns: minmax(0, 1fr) minmax(400px, 46%);
}

.board {
  overflow: auto;
  padding: 0 14px 14px;
}

.beside-it {
  overflow: auto;
  border-left: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

.comb {
  height: 12px;
  border-bottom-width: 5px;
}

.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(212px, 1fr));
  gap: 0 10px;
}

.empty {
  padding: 30px 0;
}

@media (max-width: 760px) {
  .below.beside {
    grid-template-columns: minmax(0, 1fr);
  }

  .below.beside .board {
    display: none;
  }
}
</style>
