<script setup lang="ts">
/**
 * The register map: what displays and other systems read where. Written as CSV, workbook or JSON, and brought back with its
 * changes shown first; registers are given to points that have none, around what is taken.
 */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import FilePick from '../kit/FilePick.vue'
import { usePlant } from '../plant/store'
import { useUndo } from '../plant/undoing'

type Plan = Schemas['MapPlanOut']
const plant = usePlant()
const map = shallowRef<Schemas['MapOut'] | null>(null)
const plan = shallowRef<Plan | null>(null)
const from = ref('')
const wrong = ref('')
const says = ref('')
const busy = ref('')
const query = ref('')
const giving = ref(false)
const area = ref('')
const first = ref('0')
const table = ref<'holding' | 'input'>('holding')
const order = ref<'ABCD' | 'CDAB' | 'BADC' | 'DCBA'>('ABCD')
const TABLES = [
  { value: 'holding', title: 'holding registers' },
  { value: 'input', title: 'input registers' },
] as const
const ORDERS = ['ABCD', 'CDAB', 'BADC', 'DCBA'] as const
const MOST_SHOWN = 400

async function look() {
  const answer = await ask(api.GET('/api/served/map'))
  if (answer.problem) return void (wrong.value = said(answer.problem))
  map.value = answer.data
}
onMounted(look)
useUndo(() => {
  says.value = ''
  return look()
})
watch(
  () => plant.list.version,
  () => void look(),
)

const shown = computed(() => {
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  const rows = (map.value?.rows ?? []).map((cells, at) => ({ cells, point: map.value!.points[at]! }))
  return words.length
    ? rows.filter((r) => words.every((w) => r.cells.join(' ').toLowerCase().includes(w)))
    : rows
})
/** Columns that say something of some value, and those that every map has. */
const columns = computed(() => {
  const heads = map.value?.heads ?? []
  const rows = map.value?.rows ?? []
  return heads.map((_, at) => at).filter((at) => at < 12 || rows.some((row) => row[at]))
})
const areas = computed(() => {
  const found = new Set<string>()
  for (const id of plant.list.ids) found.add(plant.list.text('area', plant.list.row(id) ?? -1))
  return [
    { value: '', title: 'the whole plant' },
    ...[...found]
      .filter(Boolean)
      .sort()
      .map((a) => ({ value: a, title: a })),
  ]
})

function heard(answer: { data?: Plan; problem?: Schemas['Problem'] }, name: string) {
  busy.value = says.value = ''
  wrong.value = answer.problem ? said(answer.problem) : ''
  plan.value = answer.data ?? null
  from.value = name
}
async function bring(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  busy.value = `reading ${file.name}…`
  const body = new FormData()
  body.append('file', file)
  const request = api.POST('/api/served/map', {
    body: body as unknown as { file: string },
    bodySerializer: (form) => form as unknown as FormData,
  })
  heard(await ask(request), file.name)
}
async function lay() {
  const at = Number(first.value)
  if (!/^\d+$/.test(first.value.trim()) || at > 65_535)
    return void (wrong.value = `“${first.value}” is no register: a whole number from 0 to 65535`)
  const points = [...plant.list.ids].filter((id) => {
    const row = plant.list.row(id) ?? -1
    return !area.value || plant.list.text('area', row) === area.value
  })
  if (!points.length) return void (wrong.value = 'there is no point here')
  busy.value = 'giving registers…'
  const body = { points, first: at, function: table.value, order: order.value }
  heard(await ask(api.POST('/api/served/map/lay', { body })), 'registers given')
}
async function take() {
  const edits = plan.value!.edits.map((e) => ({
    point: e.point,
    field: e.field,
    was: e.was,
    text: e.becomes,
  }))
  busy.value = 'taking it into the list…'
  const problem = await plant.save(edits, `register map: ${from.value}`)
  busy.value = ''
  if (problem) return
  says.value = `${edits.length} cells are in the list now · Ctrl+Z undoes it`
  plan.value = null
  giving.value = false
  await look()
}
</script>

<template>
  <section class="registers leaf">
    <header>
      <h1>Register map</h1>
      <span class="quiet">{{ map?.rows.length ?? 0 }} values for displays and other systems</span>
      <span class="gap" />
      <DenseField
        v-model="query"
        size="18"
        placeholder="find a tag, a register"
        aria-label="find in the map"
      />
      <a
        v-for="form in ['csv', 'xlsx', 'json']"
        :key="form"
        class="act"
        :href="`/api/served/map/${form}`"
        download
        >{{ form.toUpperCase() }}</a
      >
      <FilePick
        v-if="plant.may('edit')"
        class="act"
        accept=".csv,.txt,.xlsx,.ods,.xls,.json"
        aria-label="bring a register map back"
        @change="bring"
        >bring back…</FilePick
      >
      <v-btn v-if="plant.may('edit')" class="act" :aria-expanded="giving" @click="giving = !giving"
        >give registers…</v-btn
      >
    </header>
    <p v-if="busy" class="quiet" role="status">{{ busy }}</p>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <p v-if="says" role="status">{{ says }}</p>
    <form v-if="giving" class="panel giving row" @submit.prevent="lay">
      points without a register of
      <ChoiceField v-model="area" aria-label="of which area" :items="areas" />
      from register
      <DenseField v-model="first" size="6" inputmode="numeric" aria-label="first register, from 0" />
      <span class="quiet small">(from 0)</span>
      <ChoiceField v-model="table" aria-label="which table" :items="TABLES" />
      <ChoiceField v-model="order" class="order" aria-label="order of bytes" :items="ORDERS" />
      <v-btn type="submit" class="act main">show what they would get</v-btn>
    </form>
    <section v-if="plan" class="panel plan" aria-label="what it would change">
      <p>
        <b>{{ from }}</b>: {{ plan.edits.length }}
        {{ plan.edits.length === 1 ? 'cell changes' : 'cells change' }}, {{ plan.same }} as they are<template
          v-if="plan.unmapped"
          >, {{ plan.unmapped }} published here that it does not name: they stay</template
        >.
      </p>
      <p v-for="w in plan.wrong.slice(0, 40)" :key="`${w.row} ${w.tag}`" class="settle small">
        ▲ {{ w.row ? `row ${w.row}, ` : '' }}{{ w.tag }}: {{ w.says }}
      </p>
      <p v-if="plan.wrong.length > 40" class="settle small">▲ and {{ plan.wrong.length - 40 }} more</p>
      <div v-if="plan.edits.length" class="wide low">
        <table>
          <tbody>
            <tr v-for="e in plan.edits.slice(0, MOST_SHOWN)" :key="`${e.point} ${e.field}`">
              <td class="figure">{{ e.tag }}</td>
              <td class="quiet">{{ e.field === 'read_by' ? 'read by' : 'published at' }}</td>
              <td class="figure">{{ e.was || '—' }}</td>
              <td class="figure to">{{ e.becomes || 'nothing' }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="plan.edits.length > MOST_SHOWN" class="quiet small">
          and {{ plan.edits.length - MOST_SHOWN }} more
        </p>
      </div>
      <p class="row">
        <v-btn class="act main" :disabled="!plan.edits.length || !!busy" @click="take"
          >take the {{ plan.edits.length }} into the list</v-btn
        >
        <v-btn class="act" @click="plan = null">leave it</v-btn>
      </p>
    </section>
    <details v-if="map?.wrong.length" class="small">
      <summary class="bad">■ {{ map.wrong.length }} points cannot stand in the map</summary>
      <p v-for="w in map.wrong" :key="w.point">
        <router-link :to="`/point/${w.point}`">{{ w.says }}</router-link>
      </p>
    </details>
    <p v-if="map && !map.rows.length" class="quiet">
      No point has a register yet. Give them some, type one into a point’s “published at”, or bring the map of
      another system back: it needs tags, and addresses in any style.
    </p>
    <div v-else-if="map" class="grid" role="table" aria-label="register map">
      <div class="line head" role="row">
        <span v-for="at in columns" :key="at" role="columnheader" :class="`c${at}`">{{ map.heads[at] }}</span>
      </div>
      <v-virtual-scroll :items="shown" :item-height="28" class="rows">
        <template #default="{ item }">
          <div class="line" role="row">
            <span v-for="at in columns" :key="at" role="cell" :class="[`c${at}`, { figure: at !== 1 }]">
              <router-link v-if="!at" :to="`/point/${item.point}`">{{ item.cells[at] }}</router-link>
              <template v-else>{{ item.cells[at] }}</template>
            </span>
          </div>
        </template>
      </v-virtual-scroll>
    </div>
  </section>
</template>

<style scoped>
.giving {
  display: flex;
}

.order {
  min-width: 112px;
}

a.act {
  text-decoration: none;
}

.plan {
  display: grid;
  gap: 8px;
}

.wide {
  overflow: auto;
}

.low {
  max-height: 240px;
}

table {
  border-collapse: collapse;
}

td {
  padding: 2px 16px 2px 0;
  border-top: 1px solid rgb(var(--v-theme-line));
  white-space: nowrap;
}

td.to {
  background: rgb(var(--v-theme-copper-wash));
  box-shadow: inset 3px 0 rgb(var(--v-theme-copper));
  padding-left: 10px;
}

.grid {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-height: 220px;
  overflow-x: auto;
}

.rows {
  flex: 1;
  min-width: max-content;
  overflow-y: auto;
}

.line {
  display: flex;
  min-width: max-content;
  height: 28px;
  align-items: center;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.head {
  font-size: 11px;
}

.line span {
  width: 84px;
  padding-right: 10px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.line .c0 {
  width: 120px;
}

.line .c1 {
  width: 220px;
}

.line .c2,
.line .c6,
.line .c22 {
  width: 144px;
}

.line .c23,
.line .c24 {
  width: 190px;
}

.line a {
  color: inherit;
}
</style>
