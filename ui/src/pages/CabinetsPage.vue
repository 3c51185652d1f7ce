<script setup lang="ts">
/** The cabinet as it stands: racks on their rails, modules in the order they sit, channels with what is landed there.
 * Hold a point, and channels that take it light up. Move a module, and see what it moves before it is accepted. */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { useEventListener, watchDebounced } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import CabinetPanel from '../parts/cabinet/CabinetPanel.vue'
import ChangePreview from '../parts/cabinet/ChangePreview.vue'
import HeldPanel from '../parts/cabinet/HeldPanel.vue'
import ModulePanel from '../parts/cabinet/ModulePanel.vue'
import PlacesPanel from '../parts/cabinet/PlacesPanel.vue'
import RackPanel from '../parts/cabinet/RackPanel.vue'
import RackRow from '../parts/cabinet/RackRow.vue'
import { usePlant } from '../plant/store'
import { useHardware, type Operation } from '../plant/useHardware'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'

type Channel = Schemas['ChannelOut']
type Module = Schemas['ModuleOut']
const MOST_CARDS = 60
const plant = usePlant()
const route = useRoute()
const router = useRouter()
const names = shallowRef<Schemas['CabinetName'][]>([])
const cabinet = shallowRef<Schemas['CabinetOut'] | null>(null)
const types = shallowRef<Schemas['TypeOut'][]>([])
const fits = shallowRef<ReadonlyMap<number, Schemas['FitOut']>>(new Map())
const places = shallowRef<Schemas['PlaceOut'][] | null>(null)
const order = shallowRef<{ rack: number; modules: number[]; was: number[] } | null>(null)
const waiting = shallowRef<number[]>([])
const waitingCount = ref(0)
const trouble = ref('')
const aimed = shallowRef<{ module: Module; channel: Channel } | null>(null)
const newName = ref('')
const held = computed(() => Number(route.query.hold ?? 0))
const chosen = computed(() => ({
  module: Number(route.query.module ?? 0),
  rack: Number(route.query.rack ?? 0),
}))
const here = computed(
  () => names.value.find((c) => c.name === route.query.cabinet)?.cabinet ?? names.value[0]?.cabinet ?? 0,
)
const racks = computed(() => cabinet.value?.racks ?? [])
const text = (point: number, field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point) ?? -1)
)
const { draft, shown, says, busy, propose, accept, drop } = useHardware(async () => {
  order.value = null
  newName.value = ''
  const before = new Set(racks.value.map((r) => r.rack))
  const at = cabinet.value?.cabinet
  await read()
  // A rack that is new is what one wants to see next, and to fill.
  const fresh = cabinet.value?.cabinet === at ? racks.value.find((r) => !before.has(r.rack)) : undefined
  if (fresh) go({ rack: fresh.rack })
})
const chosenModule = computed(() => {
  for (const rack of racks.value) {
    const place = rack.modules.findIndex((m) => m.module === chosen.value.module)
    if (place >= 0) return { rack, module: rack.modules[place]!, place }
  }
  return null
})
const chosenRack = computed(() => racks.value.find((r) => r.rack === chosen.value.rack) ?? null)

async function read() {
  const answer = await ask(api.GET('/api/cabinets', { params: { query: { cabinet: here.value } } }))
  trouble.value = answer.problem?.title ?? ''
  if (!answer.data) return
  names.value = answer.data.names
  waiting.value = answer.data.waiting
  waitingCount.value = answer.data.waiting_count
  cabinet.value = answer.data.cabinets.find((c) => c.cabinet === here.value) ?? null
  // Before the names are known all cabinets come; the first one is shown.
  if (!cabinet.value && answer.data.cabinets.length) cabinet.value = answer.data.cabinets[0]!
}

async function readTypes() {
  const answer = await ask(api.GET('/api/module-types'))
  types.value = answer.data?.types ?? []
}

/** What is known stays while it is judged again: a click that falls into that moment is not lost. */
let judged = 0
let judging = 0
async function judge() {
  const point = held.value
  const turn = ++judging
  const next = new Map<number, Schemas['FitOut']>(point === judged ? fits.value : [])
  judged = point
  fits.value = new Map(next)
  if (!point) return
  for (const rack of racks.value) {
    const answer = await ask(
      api.GET('/api/points/{point}/fits/{rack}', { params: { path: { point, rack: rack.rack } } }),
    )
    if (turn !== judging) return
    for (const fit of answer.data?.fits ?? []) next.set(fit.module, fit)
    fits.value = new Map(next)
  }
}

// Many changes at once are one look.
watchDebounced(() => plant.list.version, read, { debounce: 40 })
watch(here, (now, before) => before && now && void read())
watch([held, cabinet], () => void judge(), { immediate: true })
watch(racks, (now) => plant.watch(now.map((r) => r.rack)))

const box = ref<HTMLElement | null>(null)
const rackHeight = (rack: Schemas['RackIn']) =>
  (held.value ? 270 : 190) +
  Math.max(2, ...rack.modules.map((m) => m.channels.length)) * (held.value ? 27 : 43)
const virtual = useVirtualizer(
  computed(() => ({
    count: racks.value.length,
    getScrollElement: () => box.value,
    estimateSize: (i: number) => rackHeight(racks.value[i]!),
    getItemKey: (i: number) => racks.value[i]!.rack,
    overscan: 0,
  })),
)
watch([() => held.value, racks], () => void nextTick(() => virtual.value.measure()))

/** The rack that is chosen, or holds the module that is: brought into sight once, also when its address was followed
 * before the racks were there. */
let seen = ''
watch(
  [() => chosen.value.rack, () => chosen.value.module, racks],
  ([rack, module]) => {
    const of = (r: Schemas['RackIn']) => r.rack === rack || r.modules.some((m) => m.module === module)
    const index = racks.value.findIndex(of)
    const what = `${rack}:${module}`
    if (index < 0 || what === seen) return
    seen = what
    void nextTick(() => virtual.value.scrollToIndex(index, { align: rack ? 'start' : 'auto' }))
  },
  { immediate: true },
)

/** Keep the cabinet in the address, and whatever else is chosen there. */
function go(query: Record<string, string | number | undefined>) {
  const kept = { cabinet: route.query.cabinet, ...query }
  const text = Object.fromEntries(Object.entries(kept).flatMap(([k, v]) => (v ? [[k, String(v)]] : [])))
  void router.replace({ path: '/cabinets', query: text })
}

function hold(point: number) {
  if (point && !plant.may('edit')) return plant.say('a reader may look, not change')
  aimed.value = null
  places.value = null
  go({ hold: point !== held.value ? point : undefined })
}

function take(module: Module, channel: Channel) {
  if (!held.value) {
    if (channel.point) void router.push(`/point/${channel.point}`)
    return
  }
  aimed.value = { module, channel }
}

async function land() {
  const at = aimed.value
  const fit = at && fits.value.get(at.module.module)
  if (!at || !fit) return
  await landOn(held.value, at.channel.address, fit.mode, at.module.title)
  hold(0)
}

/** One edit: everything downstream stays. Counts typed for another module's span mean nothing: empty, they follow. */
async function landOn(point: number, address: string, mode: string, title: string) {
  const edits = [{ point, field: 'channel', was: text(point, 'channel'), text: address }]
  if (mode && mode !== text(point, 'mode'))
    edits.push({ point, field: 'mode', was: text(point, 'mode'), text: mode })
  const home = racks.value.flatMap((r) => r.modules).find((m) => m.channels.some((ch) => ch.point === point))
  if (home?.title !== title)
    for (const field of ['counts_low', 'counts_high'])
      if (text(point, field)) edits.push({ point, field, was: text(point, field), text: '' })
  await plant.save(edits)
  await read()
}

async function findPlaces() {
  places.value = []
  const answer = await ask(
    api.POST('/api/places', {
      body: { points: waiting.value.slice(0, 500), cabinets: cabinet.value ? [cabinet.value.cabinet] : [] },
    }),
  )
  places.value = answer.data?.places ?? null
  if (answer.problem) plant.say(answer.problem.title, 'bad')
}

function reorder(rack: Schemas['RackIn'], modules: number[]) {
  const was = rack.modules.map((m) => m.module)
  order.value = { rack: rack.rack, modules, was }
  if (modules.every((m, i) => m === was[i])) return putBack()
  void propose({
    title: `rack ${rack.name} in another order`,
    operations: [{ do: 'order', rack: rack.rack, modules, was }],
  })
}

/** How often a change was put back: fields that show what is kept show it again. */
const round = ref(0)
function putBack() {
  round.value++
  order.value = null
  drop()
}

function change(title: string, operations: Operation[]) {
  order.value = null
  void propose({ title, operations })
}

/** A new cabinet is shown once it is made. */
const making = ref('')
function addCabinet() {
  making.value = newName.value.trim()
  change('another cabinet', [{ do: 'add cabinet', name: making.value }])
}
watch(names, (all) => {
  if (!all.some((c) => c.name === making.value)) return
  void router.replace({ path: '/cabinets', query: { cabinet: making.value } })
  making.value = newName.value = ''
})

function key(event: KeyboardEvent) {
  const at = event.target as HTMLElement
  if (at.dataset.slot !== undefined) {
    const [slot, n] = [Number(at.dataset.slot), Number(at.dataset.channel)]
    const to = { ArrowDown: [slot, n + 1], ArrowUp: [slot, n - 1], ArrowRight: [slot + 1, n], ArrowLeft: [slot - 1, n] }[event.key] // prettier-ignore
    if (!to) return
    event.preventDefault()
    const rack = at.closest('.rack')
    const column = rack?.querySelectorAll<HTMLElement>(`[data-slot="${to[0]}"]`)
    if (column?.length) column[Math.min(Math.max(to[1]!, 0), column.length - 1)]!.focus()
  }
}

useEscape(() => true, () => {
  if (draft.value) putBack()
  else if (aimed.value) aimed.value = null
  else if (held.value) hold(0)
  else if (chosen.value.module || chosen.value.rack) go({})
  else return false
}) // prettier-ignore

onMounted(() => {
  void read()
  void readTypes()
})
useEventListener('keydown', key)
</script>

<template>
  <section
    class="cabinets"
    :class="{
      opened: chosenModule && !draft && !held && !places,
      alone: (chosenModule || chosenRack) && !draft && !held && !places,
    }"
  >
    <aside class="column">
      <h2>waiting for a channel ({{ waitingCount }})</h2>
      <v-btn
        v-for="point in waiting.slice(0, MOST_CARDS)"
        :key="point"
        class="card"
        :class="{ on: point === held }"
        @click="hold(point)"
      >
        <span class="figure">{{ text(point, 'tag') }}</span> {{ text(point, 'service') }}
        <span class="quiet small">{{ text(point, 'signal') || 'no signal yet' }}</span>
      </v-btn>
      <p v-if="!waiting.length" class="quiet small">
        {{ plant.list.ids.length ? 'every point has its channel' : 'no point yet: Handover brings a list' }}
      </p>
      <p v-if="waitingCount > MOST_CARDS" class="quiet small">and {{ waitingCount - MOST_CARDS }} more</p>
      <p class="quiet small">
        Hold a point: channels that can take it light up, the others say why not. “move” on a landed one holds
        it as well. Alt and arrows, or the pointer, move a module by its head.
      </p>
    </aside>
    <div class="middle">
      <nav class="names" aria-label="cabinets">
        <v-btn
          v-for="c in names"
          :key="c.cabinet"
          class="chip"
          :class="{ on: c.cabinet === here }"
          :aria-pressed="c.cabinet === here"
          @click="
            router.replace({ path: '/cabinets', query: { cabinet: c.name, ...(held ? { hold: held } : {}) } })
          "
        >
          <span class="figure">{{ c.name }}</span> {{ c.title }}
          <span class="quiet">{{ c.unused }} of {{ c.channels }} unused</span>
        </v-btn>
        <form v-if="plant.may('engineer')" class="new" @submit.prevent="addCabinet">
          <DenseField
            v-model="newName"
            class="figure setting"
            aria-label="name of another cabinet"
            placeholder="new cabinet"
          />
          <v-btn type="submit" class="act" :disabled="!newName.trim()">add</v-btn>
        </form>
      </nav>
      <div ref="box" class="work">
        <p v-if="trouble" class="bad">■ {{ trouble }}</p>
        <p v-else-if="!cabinet" class="quiet">
          no cabinet yet: name one above, or bring a project file (Handover)
        </p>
        <p v-else-if="!racks.length" class="quiet">no rack in {{ cabinet.name }} yet: add one at the right</p>
        <div class="tall" :style="{ height: `${virtual.getTotalSize()}px` }">
          <div
            v-for="item in virtual.getVirtualItems()"
            :key="String(item.key)"
            class="at"
            :style="{ transform: `translateY(${item.start}px)` }"
          >
            <RackRow
              :rack="racks[item.index]!"
              :order="order?.rack === racks[item.index]!.rack ? order.modules : null"
              :held="held"
              :fits="fits"
              :chosen="chosen.module"
              @order="reorder(racks[item.index]!, $event)"
              @take="take"
              @hold="hold"
              @choose="go({ module: $event })"
              @rack="go({ rack: racks[item.index]!.rack })"
            />
          </div>
        </div>
      </div>
    </div>
    <aside class="column right">
      <ChangePreview
        v-if="draft"
        :title="draft.title"
        :shown="shown"
        :says="says"
        :busy="busy"
        @accept="accept"
        @drop="putBack"
      />
      <!-- What is typed there outlives a look at what it would change. -->
      <div v-show="!draft" class="beside">
        <HeldPanel
          v-if="held"
          :point="held"
          :aimed="aimed"
          :fit="aimed ? fits.get(aimed.module.module) : undefined"
          @land="land"
          @drop="hold(0)"
        />
        <PlacesPanel
          v-else-if="places"
          :places="places"
          @land="(p) => landOn(p.point, p.address, p.mode, '')"
          @leave="places = null"
        />
        <template v-else>
          <v-btn v-if="chosenModule || chosenRack" class="act back" @click="go({})"> ← the cabinet </v-btn>
          <ModulePanel
            v-if="chosenModule"
            :module="chosenModule.module"
            :place="chosenModule.place"
            :rack="chosenModule.rack"
            :types="types"
            :round="round"
            @propose="change"
          />
          <RackPanel
            v-else-if="chosenRack"
            :rack="chosenRack"
            :types="types"
            :round="round"
            @propose="change"
          />
          <CabinetPanel
            v-else-if="cabinet"
            :cabinet="cabinet"
            @propose="change"
            @place="findPlaces"
            @rack="go({ rack: $event })"
          />
        </template>
      </div>
    </aside>
  </section>
</template>

<style scoped>
.bad {
  color: rgb(var(--v-theme-bad));
}

.beside {
  display: contents;
}

.cabinets {
  display: grid;
  grid-template-columns: 160px minmax(0, 1fr) 284px;
  height: 100%;
}

.cabinets.opened {
  grid-template-columns: 160px minmax(0, 1fr) 400px;
}

@media (max-width: 1100px) {
  .cabinets.opened {
    grid-template-columns: minmax(0, 1fr) 360px;
  }

  .cabinets.opened > .column:first-child {
    display: none;
  }
}

/* On a phone one below the other: the cabinet, what is chosen in it, what waits. */
@media (max-width: 760px) {
  .cabinets,
  .cabinets.opened {
    display: flex;
    flex-direction: column;
    overflow: auto;
  }

  .cabinets > * {
    flex: none;
  }

  .cabinets > .column:first-child {
    order: 3;
  }

  .cabinets .work {
    height: 60dvh;
  }

  .cabinets.alone .middle {
    display: none;
  }

  .cabinets.opened > .column:first-child {
    display: flex;
  }
}

.card .small {
  display: block;
}

.middle {
  display: flex;
  flex-direction: column;
  min-height: 0;
}

.names {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  padding: 6px 12px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.new {
  display: flex;
  gap: 4px;
}

.new input {
  width: 112px;
  min-height: 22px;
}

.work {
  flex: 1;
  min-height: 0;
  padding: 10px 12px;
  overflow: auto;
}

.tall {
  position: relative;
}

.at {
  position: absolute;
  top: 0;
  left: 0;
  width: 100%;
}

.back {
  align-self: flex-start;
}
</style>
