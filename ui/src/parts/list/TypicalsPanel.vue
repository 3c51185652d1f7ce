<script setup lang="ts">
/** Typicals: kinds of point filled in beforehand. Changing one shows which cells of which points would follow. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { useEscape } from '../../plant/escape'
import { usePlant } from '../../plant/store'
import { useViews } from '../../plant/views'
import PanelHead from './PanelHead.vue'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'

const props = defineProps<{ chosen: number | null }>()
const emit = defineEmits<{ shut: [] }>()
const plant = usePlant()
const views = useViews()
const all = shallowRef<Schemas['TypicalOut'][]>([])
const open = ref<{ name: string; becomes: string; says: string; cells: Record<string, string> } | null>(null)
const form = ref<HTMLElement | null>(null)
useEscape(() => open.value, () => (open.value = null), form) // prettier-ignore
const added = ref('')
const would = shallowRef<Schemas['ChangedOut'] | null>(null)
const skipped = ref(new Set<number>())
const trouble = ref('')
// What only one point has, and no typical may say.
const OWN = ['tag', 'second_name', 'channel', 'cable', 'cores', 'strip', 'serial', 'old_address', 'status', 'redundant', 'typical'] // prettier-ignore

const free = computed(() =>
  (plant.plant?.fields ?? []).filter(
    (f) =>
      !['live', 'checks', 'follows'].includes(f.kind) &&
      !OWN.includes(f.name) &&
      !(f.name in (open.value?.cells ?? {})),
  ),
)
const label = (name: string) => {
  const field = views.fields.get(name)
  return field ? `${field.station.toLowerCase()} ${field.label}${field.unit ? `, ${field.unit}` : ''}` : name
}
/** Its cells in the order of the stations, as everywhere. */
const named = computed(() =>
  (plant.plant?.fields ?? []).filter((f) => f.name in (open.value?.cells ?? {})).map((f) => f.name),
)
const tagOf = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)
const follows = computed(() => {
  const out = new Map<number, Schemas['CellOut'][]>()
  for (const cell of would.value?.cells ?? []) out.set(cell.point, [...(out.get(cell.point) ?? []), cell])
  return out
})

onMounted(load)
watch(() => plant.typicalsSeen, load)
async function load() {
  const answer = await ask(api.GET('/api/typicals'))
  if (answer.data) all.value = answer.data.typicals
}

function edit(one: Schemas['TypicalOut']) {
  open.value = { name: one.name, becomes: one.name, says: one.says, cells: { ...one.cells } }
  would.value = null
  trouble.value = ''
}

/** A new typical with what the chosen point holds. */
function like() {
  const row = plant.list.row(props.chosen ?? -1) ?? -1
  const cells: Record<string, string> = {}
  for (const field of plant.plant?.fields ?? []) {
    const text = plant.list.text(field.name, row)
    if (text && !OWN.includes(field.name) && !['live', 'checks', 'follows'].includes(field.kind) && !['service', 'area', 'notes'].includes(field.name)) cells[field.name] = text // prettier-ignore
  }
  open.value = { name: '', becomes: '', says: '', cells }
  would.value = null
}

const bodyOf = (points: number[]): Schemas['TypicalIn'] => ({
  becomes: open.value!.becomes,
  says: open.value!.says,
  cells: Object.fromEntries(Object.entries(open.value!.cells).filter(([, text]) => text.trim())),
  points,
  apply: true,
})

async function look() {
  if (!open.value?.becomes.trim()) return (trouble.value = 'a typical needs a name')
  trouble.value = ''
  if (!open.value.name) return keep()
  const path = { name: open.value.name }
  const answer = await ask(api.POST('/api/typicals/{name}/preview', { params: { path }, body: bodyOf([]) }))
  if (answer.problem) return (trouble.value = answer.problem.title)
  skipped.value = new Set()
  would.value = answer.data
  if (!answer.data.cells.length) await keep()
}

async function keep() {
  const points = [...follows.value.keys()].filter((point) => !skipped.value.has(point))
  const path = { name: open.value!.name || open.value!.becomes.trim() }
  const answer = await ask(api.PUT('/api/typicals/{name}', { params: { path }, body: bodyOf(points) }))
  if (answer.problem) return (trouble.value = answer.problem.title)
  plant.answered(answer.data, [])
  plant.say(
    `typical “${open.value!.becomes}” is kept${points.length ? `; ${points.length} points follow` : ''} · Ctrl+Z takes it back`,
  )
  open.value = null
  would.value = null
  await load()
}

async function drop(one: Schemas['TypicalOut']) {
  const answer = await ask(api.DELETE('/api/typicals/{name}', { params: { path: { name: one.name } } }))
  if (answer.problem) return plant.say(answer.problem.title, 'bad')
  plant.answered(answer.data, [])
  plant.say(`typical “${one.name}” is gone; its points stay as they are · Ctrl+Z brings it back`)
  await load()
}

function add() {
  if (open.value && added.value) open.value.cells[added.value] = ''
  added.value = ''
}

function turn(point: number) {
  const next = new Set(skipped.value)
  if (!next.delete(point)) next.add(point)
  skipped.value = next
}
</script>

<template>
  <PanelHead
    :title="open ? open.name || 'new typical' : 'typicals'"
    @shut="open ? (open = null) : emit('shut')"
  />
  <template v-if="!open">
    <div v-for="one in all" :key="one.name" class="card">
      <v-btn class="opens" @click="edit(one)">{{ one.name }}</v-btn>
      <span class="quiet"> · {{ one.points }} points</span>
      <p class="small quiet">{{ one.says }}</p>
      <v-btn class="act" @click="drop(one)">take away</v-btn>
    </div>
    <p v-if="!all.length" class="quiet">no typicals yet</p>
    <p class="keys">
      <v-btn class="act" :disabled="chosen === null" @click="like">
        new, like {{ chosen === null ? 'a point' : tagOf(chosen) }}
      </v-btn>
    </p>
  </template>
  <form v-else ref="form" @submit.prevent="would ? keep() : look()">
    <p class="field">
      <span>name</span
      ><DenseField v-model="open.becomes" class="setting" maxlength="60" aria-label="name of the typical" />
    </p>
    <p class="field">
      <span>what for</span
      ><DenseField v-model="open.says" class="setting" maxlength="200" aria-label="what it is for" />
    </p>
    <p v-for="name in named" :key="name" class="field">
      <span class="small">{{ label(name) }}</span>
      <DenseField
        v-model="open.cells[name]"
        class="setting figure"
        :aria-label="label(name)"
        @input="would = null"
      />
    </p>
    <p class="field">
      <span class="small quiet">one more cell</span>
      <ChoiceField
        v-model="added"
        aria-label="one more cell"
        :items="[
          { value: '', title: 'choose' },
          ...free.map((f) => ({ value: f.name, title: `${f.station.toLowerCase()} ${f.label}` })),
        ]"
        @update:model-value="add"
      />
    </p>
    <p v-if="trouble" class="bad" role="alert">■ {{ trouble }}</p>
    <template v-if="would">
      <h2>{{ follows.size }} points still say what it said</h2>
      <label v-for="[point, cells] in [...follows].slice(0, 100)" :key="point" class="small follow">
        <v-checkbox-btn :model-value="!skipped.has(point)" @update:model-value="turn(point)" />
        <span class="figure">{{ tagOf(point) }}</span>
        <template v-for="cell in cells" :key="cell.field">
          {{ label(cell.field) }} <s class="quiet">{{ cell.was || 'empty' }}</s>
          {{ cell.becomes || 'empty' }}</template
        >
      </label>
      <p v-if="follows.size > 100" class="small quiet">and {{ follows.size - 100 }} more, which follow too</p>
    </template>
    <p class="keys">
      <v-btn type="submit" class="act main">
        {{
          would
            ? `keep it, ${follows.size - skipped.size} points follow`
            : open.name
              ? 'show what follows'
              : 'keep it'
        }}
      </v-btn>
      <v-btn class="act" @click="open = null">leave it</v-btn>
    </p>
  </form>
</template>

<style scoped>
.card .act {
  padding: 0 8px;
  font-size: 12px;
}

.follow {
  display: block;
}
</style>
