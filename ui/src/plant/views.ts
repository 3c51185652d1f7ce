/** How the list is looked at: columns, order, groups, density; views kept under a name, one's own and the plant's. */
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { asks, type Filter } from './filters'
import { usePlant } from './store'

export type View = Required<Schemas['ViewBody']>
type Field = Schemas['FieldOut']
export interface Column extends Field {
  width: number
}

const KEPT = 'canaleta-view'
export const ROW_HEIGHT = { close: 21, usual: 25, wide: 34 } as const

/** Views that are there from the start, made of the fields of the later work. */
const STARTERS: Record<string, string[]> = {
  wiring: ['service', 'signal', 'wires', 'supply', 'cable', 'cores', 'strip', 'screen', 'channel', 'terminals', 'register', 'direct', 'old_address'],
  alarms: ['service', 'now', 'value_low', 'value_high', 'value_unit', 'alarm_ll', 'alarm_l', 'alarm_h', 'alarm_hh', 'alarm_h_deadband', 'alarm_h_delay', 'alarm_h_priority', 'alarm_state', 'alarm_says', 'bands', 'checks'],
  'switches': ['service', 'signal', 'acting', 'channel', 'mode', 'debounce', 'on_delay', 'off_delay', 'stretch', 'fastest', 'counts_on', 'now', 'text_0', 'text_1', 'alarm_state', 'trips', 'inhibit'],
  'what it trips': ['service', 'area', 'now', 'trips', 'used_by', 'inhibit', 'tell', 'if_high', 'if_low'],
  'tests and status': ['service', 'area', 'channel', 'status', 'tolerance_transmitter', 'tolerance_channel', 'tolerance_loop', 'accuracy', 'device_model', 'serial', 'data_sheet', 'notes'],
  'names': ['second_name', 'meaning', 'loop', 'service', 'area', 'cabinet', 'channel', 'old_address', 'typical', 'notes'],
} // prettier-ignore

export const useViews = defineStore('views', () => {
  const plant = usePlant()
  const saved = ref<Schemas['ViewOut'][]>([])
  const name = ref('')
  const now = ref<View | null>(null)

  const fields = computed(() => new Map((plant.plant?.fields ?? []).map((f) => [f.name, f])))
  const first = computed<View>(() =>
    plain((plant.plant?.fields ?? []).filter((f) => f.listed).map((f) => f.name)),
  )
  const starters = computed(() =>
    Object.entries(STARTERS).map(([title, names]) => ({ name: title, body: plain(['tag', ...names]) })),
  )
  const body = computed<View>(() => now.value ?? first.value)
  const columns = computed<Column[]>(() =>
    body.value.columns.flatMap(({ field, width }) => {
      const known = fields.value.get(field)
      return known ? [{ ...known, width }] : []
    }),
  )
  // A column that is no more filters nothing: nobody could take such a filter away.
  const filters = computed(() =>
    (body.value.filters as Filter[]).filter((one) => fields.value.has(one.field)),
  )
  const changed = computed(() => JSON.stringify(body.value) !== JSON.stringify(origin()))

  function plain(names: string[]): View {
    const columns = names.flatMap((field) => {
      const known = fields.value.get(field)
      return known ? [{ field, width: Math.max(known.width, 36) }] : []
    })
    return { columns, sort: [], group: '', density: 'usual', find: '', filters: [] }
  }

  function origin(): View {
    const kept = saved.value.find((view) => view.name === name.value)
    if (kept) return whole(kept.body)
    return starters.value.find((view) => view.name === name.value)?.body ?? first.value
  }

  /** A view that was kept before a part of it was thought of. */
  const whole = (body: Schemas['ViewBody']): View => ({ ...plain([]), ...body }) as View

  /** Take up what this browser showed last. What it kept of columns that are no more is left out. */
  function recall() {
    try {
      const kept = JSON.parse(localStorage.getItem(KEPT) ?? 'null') as { name: string; body: View } | null
      if (kept?.body.columns.some((column) => fields.value.has(column.field))) {
        name.value = kept.name
        now.value = whole(kept.body)
      }
    } catch {
      localStorage.removeItem(KEPT)
    }
  }

  function change(part: Partial<View>) {
    now.value = { ...body.value, ...part }
    localStorage.setItem(KEPT, JSON.stringify({ name: name.value, body: now.value }))
  }

  function choose(title: string) {
    name.value = title
    change(origin())
  }

  function sortBy(field: string, more: boolean) {
    const sort = body.value.sort as Required<Schemas['SortIn']>[]
    const known = sort.find((one) => one.field === field)
    // Up, down, and back to the order in which points were entered.
    const next = !known ? [{ field, down: false }] : known.down ? [] : [{ field, down: true }]
    change({ sort: more ? [...sort.filter((one) => one.field !== field), ...next] : next })
  }

  /** Filter by a column; a filter that asks nothing is none. */
  function filterBy(filter: Filter) {
    const rest = filters.value.filter((one) => one.field !== filter.field)
    change({ filters: asks(filter) ? [...rest, filter] : rest })
  }

  function width(field: string, pixels: number) {
    const width = Math.round(Math.min(900, Math.max(24, pixels)))
    change({ columns: body.value.columns.map((c) => (c.field === field ? { field, width } : c)) })
  }

  /** Where a column belongs that nobody has placed: among those of its station, in the order of the fields. */
  function placeOf(field: string, shown: readonly { field: string }[]): number {
    const order = [...fields.value.keys()]
    const station = (name: string) => fields.value.get(name)?.station
    const before = (name: string) => order.indexOf(name) < order.indexOf(field)
    const here = shown.flatMap((c, k) => (station(c.field) === station(field) ? [k] : []))
    const lower = here.filter((k) => before(shown[k]!.field)).at(-1)
    if (lower !== undefined) return lower + 1
    if (here.length) return here[0]!
    return shown.findLastIndex((c) => before(c.field)) + 1
  }

  /** Show a column behind another one, or where its station is; or hide it. The tag stays first. */
  function show(field: string, shown: boolean, after?: string) {
    const rest = body.value.columns.filter((c) => c.field !== field)
    if (field === 'tag') return
    if (!shown) return change({ columns: rest })
    const known = body.value.columns.find((c) => c.field === field)
    const column = known ?? { field, width: Math.max(fields.value.get(field)?.width ?? 90, 36) }
    const place = after === undefined ? placeOf(field, rest) : rest.findIndex((c) => c.field === after) + 1
    change({ columns: [...rest.slice(0, place), column, ...rest.slice(place)] })
  }

  function move(field: string, by: number) {
    const order = body.value.columns.map((c) => c.field)
    const from = order.indexOf(field)
    const to = from + by
    if (from < 1 || to < 1 || to >= order.length) return
    const columns = [...body.value.columns]
    columns.splice(to, 0, ...columns.splice(from, 1))
    change({ columns })
  }

  async function load() {
    const answer = await ask(api.GET('/api/views'))
    if (answer.data) saved.value = answer.data.views
  }

  async function keep(title: string, plants: boolean): Promise<boolean> {
    const answer = await ask(
      api.PUT('/api/views/{name}', { params: { path: { name: title } }, body: { body: body.value, plants } }),
    )
    if (answer.problem) {
      plant.say(`${answer.problem.title} · ${answer.problem.remedy}`, 'bad')
      return false
    }
    saved.value = answer.data.views
    name.value = title
    change({})
    plant.say(`kept as “${title}”${plants ? ' for everybody' : ''}`)
    return true
  }

  async function drop(view: Schemas['ViewOut']) {
    const answer = await ask(
      api.DELETE('/api/views/{name}', {
        params: { path: { name: view.name }, query: { plants: view.plants } },
      }),
    )
    if (answer.problem) return plant.say(answer.problem.title, 'bad')
    saved.value = answer.data.views
  }

  return {
    saved, name, body, columns, first, starters, changed, fields, filters,
    recall, change, choose, sortBy, filterBy, width, show, move, load, keep, drop,
  } // prettier-ignore
})
