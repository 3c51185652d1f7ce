<script setup lang="ts">
/** The I/O list: find on top, how it is looked at, the grid, a panel for work in bulk, and at the foot the chosen cell. */
import { useEventListener, useIntervalFn, useMediaQuery, useSessionStorage, useTimeoutFn } from '@vueuse/core'
import { computed, nextTick, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { storeToRefs } from 'pinia'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'
import GridView from '../grid/GridView.vue'
import PointList from '../parts/PointList.vue'
import CellStrip from '../parts/CellStrip.vue'
import { useBar } from '../frame/bar'
import ColumnsPanel from '../parts/list/ColumnsPanel.vue'
import GonePanel from '../parts/list/GonePanel.vue'
import HeadFilter from '../parts/list/HeadFilter.vue'
import KeysPanel from '../parts/list/KeysPanel.vue'
import LockPanel from '../parts/list/LockPanel.vue'
import NewPanel from '../parts/list/NewPanel.vue'
import RenamePanel from '../parts/list/RenamePanel.vue'
import PrintTable from '../parts/list/PrintTable.vue'
import ReplacePanel from '../parts/list/ReplacePanel.vue'
import ToolStrip from '../parts/list/ToolStrip.vue'
import TypicalsPanel from '../parts/list/TypicalsPanel.vue'
import ViewsPanel from '../parts/list/ViewsPanel.vue'
import { ask, api } from '../api/client'
import { editsAsDevice } from '../plant/asDevice'
import { letsThrough, read, valuesOf, written } from '../plant/filters'
import { mentions } from '../plant/rename'
import { grouped, sorted, type Group } from '../plant/order'
import { exportList } from '../plant/exportList'
import { idleTime } from '../plant/idle'
import { usePlant } from '../plant/store'
import { useSearch } from '../plant/useSearch'
import { ROW_HEIGHT, useViews } from '../plant/views'
import { useEscape } from '../plant/escape'
import { isTyping } from '../kit/typing'

/** The rows come first; what stands above them when there is time. */
const settledIn = ref(false)
onMounted(() => idleTime.later(() => (settledIn.value = true)))

type Panel = '' | 'rename' | 'new' | 'replace' | 'columns' | 'views' | 'typicals' | 'lock' | 'gone' | 'keys'

const MOST_PINNED = 6

const plant = usePlant()
const views = useViews()
const route = useRoute()
const router = useRouter()
const { findRows } = useSearch()
const bar = useBar()
const { query, onlyFindings, shown: count, notes } = storeToRefs(bar)
query.value = String(route.query.find ?? '')
onlyFindings.value = route.query.only === 'findings'
/** On a phone points are cards: one line of cells would show two of them. */
const small = useMediaQuery('(max-width: 600px)')
const grid = ref<InstanceType<typeof GridView> | null>(null)
const chosen = ref<{ point: number; field: string; cells: number; points: number[] } | null>(null)
const rows = shallowRef<number[]>([])
const groups = shallowRef<Group[]>([])
const closed = ref(new Set<string>())
const panel = ref<Panel>('')
const pasted = shallowRef<Record<string, string>[]>([])
/** Points whose rows stay at the top, whatever is sought or scrolled, to compare others with. */
const pinned = useSessionStorage<number[]>('canaleta-kept-rows', [])
const frozen = computed(() => pinned.value.filter((point) => plant.list.row(point) !== undefined).length)
/** Whether an empty row stands at the end. */
const fresh = computed(() => plant.may('edit') && !views.body.group)
const active = Number(route.query.at) || null
const noting = useTimeoutFn(note, 400, { immediate: false })

views.recall()
const sent = read(String(route.query.where ?? ''), (field) => views.fields.has(field))
if (sent.length) views.change({ filters: sent })
if (!query.value && views.body.find) query.value = views.body.find

const narrowed = computed(() => {
  if (!onlyFindings.value) return undefined
  return new Set([...plant.findingsOf.keys()].map((point) => plant.list.row(point) ?? -1))
})

// Rows are found and put in order when asked, not at each change: a row that no longer fits stays until the next search.
watch([query, onlyFindings, () => views.body.sort, () => views.body.group, () => views.body.filters, closed], refind, { immediate: true, deep: true }) // prettier-ignore
watch(() => plant.list.structure.value, cameOrWent)
watch(() => views.body.find, (found) => found && (query.value = found)) // prettier-ignore

/** Rows with those that stay first. */
function withPinned(order: number[]): number[] {
  const first = pinned.value.flatMap((point) => plant.list.row(point) ?? [])
  const apart = new Set(first)
  return first.length ? [...first, ...order.filter((row) => !apart.has(row))] : order
}

function pin() {
  const points = chosen.value?.points ?? []
  const all = new Set(pinned.value)
  if (points.every((point) => all.has(point))) pinned.value = pinned.value.filter((p) => !points.includes(p))
  else if (new Set([...all, ...points]).size > MOST_PINNED)
    plant.say(`at most ${MOST_PINNED} rows stay in sight: choose fewer`, 'bad')
  else pinned.value = [...new Set([...all, ...points])]
  refind()
  grid.value?.focus()
}

function refind() {
  const found = findRows(query.value, narrowed.value)
  notes.value = found.notes
  const some = views.filters.length ? found.rows.filter(letsThrough(plant.list, views.filters)) : found.rows
  count.value = some.length
  const order = views.body.sort.length ? sorted(plant.list, some, views.body.sort as { field: string; down: boolean }[]) : some // prettier-ignore
  if (views.body.group) {
    const made = grouped(plant.list, order, views.body.group, closed.value)
    groups.value = made.groups
    rows.value = withPinned(made.shown)
  } else {
    groups.value = []
    rows.value = withPinned(order)
  }
  noting.stop()
  const known =
    String(route.query.find ?? '') === query.value &&
    String(route.query.where ?? '') === (written(views.filters) ?? '')
  if (!known || (route.query.only === 'findings') !== onlyFindings.value) noting.start()
}

/**
 * Points that one made oneself stand where one is, whatever is sought, and others' at the end: under a hand nothing moves
 * that it did not do. Points that went are gone. The order stays as it is.
 */
function cameOrWent() {
  if (views.body.group) return refind()
  const shown = new Set(rows.value)
  const stay = rows.value.filter((row) => plant.list.ids[row])
  const came = [...plant.list.rows()].filter((row) => !shown.has(row) && row >= known)
  known = plant.list.ids.length
  if (!came.length && stay.length === rows.value.length) return
  const [mine, theirs] = [true, false].map((own) =>
    came.filter((row) => plant.list.mine.has(plant.list.ids[row]!) === own),
  )
  const at = chosen.value
    ? stay.indexOf(plant.list.row(chosen.value.points.at(-1) ?? chosen.value.point) ?? -1)
    : -1
  const place = at < 0 ? stay.length : at + 1
  rows.value = [...stay.slice(0, place), ...mine!, ...stay.slice(place), ...theirs!]
  count.value = rows.value.length
}
let known = plant.list.ids.length

/** Keep what is sought in the address, for a colleague and for the way back; not at every keystroke. */
function note() {
  const only = onlyFindings.value ? 'findings' : undefined
  void router.replace({
    query: { ...route.query, find: query.value || undefined, where: written(views.filters), only },
  })
}

async function open(point: number) {
  noting.stop()
  const only = onlyFindings.value ? 'findings' : undefined
  await router.replace({
    query: { find: query.value || undefined, where: written(views.filters), only, at: String(point) },
  })
  void router.push(`/point/${point}`)
}

// A column being filtered, and where its head is.
const filtering = shallowRef<{ field: string; at: HTMLElement } | null>(null)
const sieve = computed(() => {
  const field = filtering.value && views.fields.get(filtering.value.field)
  if (!filtering.value || !field) return null
  const rest = views.filters.filter((one) => one.field !== field.name)
  const rows = findRows(query.value, narrowed.value).rows.filter(letsThrough(plant.list, rest))
  return {
    field,
    target: filtering.value.at,
    filter: views.filters.find((one) => one.field === field.name),
    values: valuesOf(plant.list, field.name, rows),
  }
})
function filtered() {
  filtering.value = null
  grid.value?.focus()
}

function turn(group: string) {
  const next = new Set(closed.value)
  if (!next.delete(group)) next.add(group)
  closed.value = next
}

function more(lines: Record<string, string>[]) {
  pasted.value = lines
  panel.value = 'new'
}

const renaming = shallowRef<{ point: number; was: string; text: string } | null>(null)
/** A tag that other texts name is not changed before one has seen them. */
function rename(asked: { point: number; was: string; text: string }): boolean {
  if (!mentions(plant.list, asked, plant.waiting).length) return false
  renaming.value = asked
  panel.value = 'rename'
  return true
}

// How far the list is from what was issued last.
const issue = ref({ mark: '', changed: 0 })
/** The list that the cells which differ from the issue were told of. */
let toldOf = -1
async function askIssue() {
  toldOf = plant.list.seq
  const answer = await ask(api.GET('/api/revisions'))
  if (answer.data) issue.value = { mark: answer.data.issued, changed: answer.data.changed }
}

function shut() {
  panel.value = ''
  pasted.value = []
  grid.value?.focus()
}

/** After points were made: the first of them is chosen. */
async function made(points: number[]) {
  shut()
  // The rows take the new points in with the next drawing.
  await nextTick()
  const first = points[0] === undefined ? undefined : plant.list.row(points[0])
  const place = first === undefined ? -1 : rows.value.indexOf(first)
  if (place >= 0) grid.value?.go(place)
}

/** What is shown, as it is shown: these columns, these rows, in this order. */
function save(form: 'csv' | 'xlsx' | 'ods' | 'pdf', paper: 'A4' | 'A3' = 'A3') {
  const points = rows.value.flatMap((row) => (row < 0 ? [] : (plant.list.ids[row] ?? [])))
  void exportList(plant, { form, paper, fields: views.columns.map((column) => column.name), points })
}

/** VALUE of the chosen points as their devices are. */
async function sameAsDevice() {
  const points = chosen.value?.points ?? []
  if (!plant.may('edit')) return plant.say('a reader may look, not change')
  const edits = editsAsDevice(plant.list, points)
  if (!edits.length)
    return plant.say('VALUE is the same as the device already, or the device has no range yet')
  const problem = await plant.save(edits, 'same as the device', true)
  const changed = new Set(edits.map((edit) => edit.point)).size
  if (!problem && edits.every((edit) => !plant.waitingAt(edit.point, edit.field)))
    plant.say(`VALUE of ${changed} of ${points.length} points made the same as the device`, 'plain', {
      undo: true,
    })
}

const EDITS = ['new', 'replace', 'lock', 'gone']
function show(next: Panel) {
  if (EDITS.includes(next) && !plant.may('edit')) return plant.say('a reader may look, not change')
  if (panel.value === next) return shut()
  pasted.value = []
  panel.value = next
}

function anywhere(event: KeyboardEvent) {
  if (event.key === 'F1') {
    event.preventDefault()
    return show('keys')
  }
  if (isTyping(event.target)) return
  if (event.key === 'Insert') show('new')
  else if (event.key === 'Delete' && event.ctrlKey) {
    event.preventDefault()
    event.stopPropagation()
    show('gone')
  }
}

watch(chosen, (now) => now && plant.tell(now.point, now.field))

// Noting the search must not call off a way to another place that is already being taken.
onBeforeRouteLeave(() => noting.stop())

bar.filter(() => grid.value?.focus())
watch(issue, ({ mark, changed }) => {
  const says = changed ? `${changed} changed since ${mark}` : `as issued, ${mark}`
  bar.more = mark ? { says, to: '/revisions', settle: changed > 0 } : null
})
bar.offer([
  { says: 'new points', keys: 'Alt+N', run: () => show('new') },
  { says: 'columns of the list', keys: 'Alt+C', run: () => show('columns') },
  { says: 'keep these rows in sight, or no longer', keys: 'Alt+P', run: pin },
  { says: 'filter by this column', keys: 'Alt+↓', run: () => grid.value?.filter() },
  { says: 'show all: no filters', run: () => views.change({ filters: [] }) },
  { says: 'views of the list', keys: 'Alt+V', run: () => show('views') },
  { says: 'replace in the list', keys: 'Alt+R', run: () => show('replace') },
  { says: 'typicals', keys: 'Alt+T', run: () => show('typicals') },
  { says: 'lock a row', keys: 'Alt+L', run: () => show('lock') },
  { says: 'delete points', keys: 'Ctrl+Del', run: () => show('gone') },
  { says: 'count on down the selection', keys: 'Alt+S', run: () => grid.value?.countOn() },
  { says: 'value same as the device', keys: 'Alt+=', run: () => void sameAsDevice() },
  { says: 'fill down', keys: 'Ctrl+D', run: () => grid.value?.fillDown() },
  { says: 'save what is shown as a workbook, XLSX', run: () => save('xlsx') },
  { says: 'save what is shown as a workbook, ODS', run: () => save('ods') },
  { says: 'save what is shown as CSV', run: () => save('csv') },
  { says: 'print what is shown, A3', run: () => save('pdf', 'A3') },
  { says: 'print what is shown, A4', run: () => save('pdf', 'A4') },
  { says: 'keys of the list', keys: 'F1, Alt+K', run: () => show('keys') },
])

onMounted(() => {
  void views.load()
  void askIssue()
  grid.value?.focus()
})
useEventListener('keydown', anywhere, { capture: true })
useIntervalFn(() => {
  if (issue.value.mark && plant.list.seq !== toldOf) void askIssue()
  if (chosen.value) plant.tell(chosen.value.point, chosen.value.field)
}, 10_000)
onUnmounted(() => plant.tell(null, ''))

const column = ref<HTMLElement | null>(null)
useEscape(() => panel.value, shut, column)
</script>

<template>
  <section class="list">
    <ToolStrip
      v-if="settledIn"
      :panel="panel"
      :pinned="frozen"
      @unpin="((pinned = []), refind())"
      @show="show($event as Panel)"
      @series="grid?.countOn()"
      @out="save"
    />
    <span v-else />
    <div class="work" :class="{ beside: panel }">
      <PointList
        v-if="small && rows.length"
        class="cards"
        cards
        :rows="rows"
        :point="active ?? 0"
        @open="open"
      />
      <GridView
        v-else
        ref="grid"
        class="grid"
        :rows="rows"
        :groups="groups"
        :fields="views.columns"
        :sort="views.body.sort"
        :frozen="frozen"
        :fresh="fresh"
        :row-height="ROW_HEIGHT[views.body.density]"
        :active="active"
        :rename="rename"
        :filtered="views.filters.map((one) => one.field)"
        @select="chosen = $event"
        @open="open"
        @find="bar.focus()"
        @turn="turn"
        @more="more"
        @sort="views.sortBy"
        @width="views.width"
        @filter="(field, at) => (filtering = { field, at })"
        @reorder="(field, after) => views.show(field, true, after)"
      >
        <template #empty>
          <template v-if="plant.list.length && views.filters.length">
            No point is let through by what the columns filter{{ query ? ` and has “${query}”` : '' }}.
            <v-btn class="act" @click="views.change({ filters: [] })">show all columns' texts</v-btn>
          </template>
          <template v-else-if="plant.list.length">
            No point has “{{ query }}”{{ onlyFindings ? ' and something to settle' : '' }}. Esc in the find
            field shows all again.
          </template>
          <template v-else>
            This plant has no points yet. “new points” (Alt+N) makes some, Handover takes in a list, and on
            the server <code>./canaleta demo --data DIR</code> loads Vallroja Tileworks into an empty folder.
          </template>
        </template>
      </GridView>
      <aside v-if="panel" ref="column" class="column">
        <NewPanel
          v-if="panel === 'new'"
          :chosen="chosen?.point ?? null"
          :pasted="pasted"
          @made="made"
          @shut="shut"
        />
        <ReplacePanel
          v-else-if="panel === 'replace'"
          :rows="rows"
          :field="chosen?.field ?? 'tag'"
          :points="chosen?.points ?? []"
          @shut="shut"
        />
        <RenamePanel v-else-if="panel === 'rename' && renaming" :rename="renaming" @shut="shut" />
        <ColumnsPanel v-else-if="panel === 'columns'" @shut="shut" />
        <ViewsPanel v-else-if="panel === 'views'" :find="query" @shut="shut" />
        <TypicalsPanel v-else-if="panel === 'typicals'" :chosen="chosen?.point ?? null" @shut="shut" />
        <LockPanel v-else-if="panel === 'lock' && chosen" :point="chosen.point" @shut="shut" />
        <GonePanel v-else-if="panel === 'gone' && chosen" :points="chosen.points" @shut="shut" />
        <KeysPanel v-else @shut="shut" />
      </aside>
    </div>
    <HeadFilter
      v-if="sieve"
      :key="sieve.field.name"
      v-bind="sieve"
      @filter="views.filterBy"
      @shut="filtered"
    />
    <PrintTable
      :rows="rows"
      :fields="views.columns"
      :query="query"
      :issue="issue.mark && !issue.changed ? `as issued, ${issue.mark}` : ''"
    />
    <p v-if="!chosen && fresh && !small" class="foot quiet">
      <b>the empty row</b> what is typed here waits until it has a tag; then it is a point. Enter stays for
      the next tag, Tab goes on along the new point. Rows can be pasted.
    </p>
    <CellStrip v-if="chosen && rows.length" v-bind="chosen" :texts="() => grid?.texts() ?? []" />
  </section>
</template>

<style scoped>
.list {
  display: grid;
  grid-template-rows: 32px minmax(0, 1fr) auto;
  height: 100%;
}

.work {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  min-height: 0;
}

.work.beside {
  grid-template-columns: minmax(0, 1fr) 344px;
}

.foot {
  height: 124px;
  margin: 0;
  padding: 8px 14px 14px;
  border-top: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

.grid {
  margin: 0 14px 10px;
}
</style>
