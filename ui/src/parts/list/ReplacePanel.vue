<script setup lang="ts">
/** Find and replace: in a column or the whole row, of what is selected or shown; every cell is seen before it is done. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import { useViews } from '../../plant/views'
import PanelHead from './PanelHead.vue'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import type { FieldHandle } from '../../kit/focus'

const props = defineProps<{ rows: number[]; field: string; points: number[] }>()
const emit = defineEmits<{ shut: [] }>()
const MOST = 20_000
const plant = usePlant()
const views = useViews()
const sought = ref('')
const becomes = ref('')
const column = ref(props.field)
const where = ref<'shown' | 'selected'>(props.points.length > 1 ? 'selected' : 'shown')
const whole = ref(false)
const exact = ref(false)
const would = shallowRef<Schemas['ChangedOut'] | null>(null)
const says = ref('')
const busy = ref(false)
const input = ref<FieldHandle | null>(null)
onMounted(() => input.value?.focus())

const typed = computed(() => views.columns.filter((f) => !['live', 'checks', 'follows'].includes(f.kind)))
if (!typed.value.some((f) => f.name === column.value)) column.value = 'tag'

const edits = computed<Schemas['EditIn'][]>(() => {
  void plant.list.version
  if (!sought.value) return []
  const fields = column.value ? [column.value] : typed.value.map((f) => f.name)
  const rows =
    where.value === 'shown'
      ? props.rows.filter((row) => row >= 0)
      : props.points.map((p) => plant.list.row(p) ?? -1)
  const escaped = sought.value.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
  const pattern = new RegExp(whole.value ? `^${escaped}$` : escaped, exact.value ? 'gu' : 'giu')
  const out: Schemas['EditIn'][] = []
  for (const row of rows)
    for (const field of fields) {
      const was = plant.list.text(field, row)
      const text = was.replace(pattern, () => becomes.value)
      if (text !== was) out.push({ point: plant.list.ids[row]!, field, was, text })
      if (out.length > MOST) return out
    }
  return out
})
// What was looked at falls when something else is typed; when the list itself has moved on, it is looked at again.
const key = (of: Schemas['EditIn'][]) => JSON.stringify(of.map((e) => [e.point, e.field, e.was, e.text]))
watch([sought, becomes, column, where, whole, exact], () => (would.value = null))
watch(edits, (now, before) => {
  if (would.value && key(now) !== key(before)) void look()
})

async function look(): Promise<void> {
  if (!edits.value.length || edits.value.length > MOST) return
  busy.value = true
  const asked = edits.value
  const answer = await ask(
    api.POST('/api/proposals', {
      body: { edits: asked, source: 'replaced', why: '', apply: false, partial: true },
    }),
  )
  busy.value = false
  if (key(asked) !== key(edits.value)) return look()
  says.value = answer.problem?.title ?? ''
  would.value = answer.data ?? null
}

async function go() {
  busy.value = true
  const many = edits.value.length
  const trouble = await plant.save(edits.value, 'replaced', true)
  busy.value = false
  if (!trouble) plant.say(`${many} cells: “${sought.value}” → “${becomes.value}” · Ctrl+Z takes it back`)
  emit('shut')
}
const tagOf = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)
const label = (field: string) => views.fields.get(field)?.label ?? field
</script>

<template>
  <PanelHead title="find and replace" @shut="emit('shut')" />
  <form @submit.prevent="would ? go() : look()">
    <p class="field">
      <span>find</span><DenseField ref="input" v-model="sought" class="setting figure" aria-label="find" />
    </p>
    <p class="field">
      <span>becomes</span><DenseField v-model="becomes" class="setting figure" aria-label="becomes" />
    </p>
    <p class="field">
      <span>in</span>
      <ChoiceField
        v-model="column"
        aria-label="in the column"
        :items="[
          { value: '', title: 'every column shown' },
          ...typed.map((f) => ({ value: f.name, title: `${f.station.toLowerCase()} ${f.label}` })),
        ]"
      />
    </p>
    <p class="field">
      <span>of</span>
      <ChoiceField
        v-model="where"
        aria-label="of which rows"
        :items="[
          { value: 'shown', title: 'all rows shown' },
          { value: 'selected', title: `the rows selected (${points.length})` },
        ]"
      />
    </p>
    <p class="small">
      <v-checkbox v-model="whole" label="whole cells only" />
      <v-checkbox v-model="exact" label="capitals count" />
    </p>
    <p v-if="sought" role="status">
      <template v-if="edits.length > MOST">more than {{ MOST }} cells: narrow it down</template>
      <template v-else>{{ edits.length }} cell{{ edits.length === 1 ? '' : 's' }} would change</template>
    </p>
    <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    <p class="keys">
      <v-btn type="submit" class="act main" :disabled="busy || !edits.length || edits.length > MOST">
        {{ busy ? 'one moment…' : would ? `replace in ${would.cells.length} cells` : 'show what it does' }}
      </v-btn>
    </p>
  </form>
  <template v-if="would">
    <p v-if="would.left?.length" class="bad small">
      ■ {{ would.left.length }} cells cannot be taken: they stay as they are and say why
    </p>
    <p v-for="cell in would.left?.slice(0, 5)" :key="`${cell.point}${cell.field}`" class="small bad">
      <span class="figure">{{ tagOf(cell.point) }}</span> {{ cell.says }}
    </p>
    <p v-if="would.moved.length" class="small settle">
      ▲ {{ would.moved_count || would.moved.length }} values move; the first:
      {{ tagOf(would.moved[0]!.point) }} at {{ would.moved[0]!.at }} {{ would.moved[0]!.was }} →
      {{ would.moved[0]!.becomes }}
    </p>
    <p v-for="finding in would.opened.slice(0, 3)" :key="finding.key" class="small settle">
      ▲ {{ finding.text }}
    </p>
    <ul class="small">
      <li v-for="cell in would.cells.slice(0, 60)" :key="`${cell.point}${cell.field}`">
        <span class="figure">{{ tagOf(cell.point) }}</span> {{ label(cell.field) }}
        <span class="figure"
          ><s class="quiet">{{ cell.was || 'empty' }}</s> {{ cell.becomes || 'empty' }}</span
        >
      </li>
      <li v-if="would.cells.length > 60" class="quiet">and {{ would.cells.length - 60 }} more</li>
    </ul>
  </template>
</template>
