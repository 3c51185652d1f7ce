<script setup lang="ts">
/** What was changed, by whom and when; by point, person and kind; a set, a row of it or a cell can be taken back. */
import { watchDebounced } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import { latest } from '../plant/latest'
import { usePlant } from '../plant/store'
import { asTyped, clock } from '../plant/words'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const sets = ref<Schemas['HistorySet'][]>([])
const people = ref<string[]>([])
const says = ref('')
const more = ref(true)
const who = ref(String(route.query.who ?? ''))
const source = ref(String(route.query.source ?? ''))
const tag = ref(String(route.query.tag ?? ''))
const opened = ref(new Set<number>())
const MOST = 50
const FEW = 6
const SOURCES: [string, string][] = [
  ['typed', 'typed'], ['pasted', 'pasted'], ['filled down', 'filled down'], ['series', 'series'], ['replaced', 'replaced'],
  ['import', 'brought in'], ['added', 'new points'], ['took', 'taken away or back'], ['fix', 'fixes'], ['undo', 'undone'],
] // prettier-ignore

const point = computed(() => {
  void plant.list.version
  if (!tag.value.trim()) return undefined
  for (const row of plant.list.rows())
    if (plant.list.text('tag', row).toLowerCase() === tag.value.trim().toLowerCase())
      return plant.list.ids[row]
  return -1
})

const load = latest(async (before?: number) => {
  if (point.value === -1) {
    sets.value = []
    says.value = `no point is called “${tag.value}”`
    return
  }
  const query = {
    before,
    most: MOST,
    who: who.value || undefined,
    source: source.value || undefined,
    point: point.value,
  }
  const answer = await ask(api.GET('/api/history', { params: { query } }))
  if (answer.problem) return void (says.value = answer.problem.title)
  says.value = ''
  people.value = answer.data.people
  sets.value = before ? [...sets.value, ...answer.data.sets] : answer.data.sets
  more.value = answer.data.sets.length === MOST
})

const label = (name: string) => {
  const field = plant.plant?.fields.find((f) => f.name === name)
  return field ? `${field.station.toLowerCase()} ${field.label}` : name
}

async function takeBack(seq: number, of: { point?: number; field?: string }, what: string) {
  const answer = await ask(api.POST('/api/history/{seq}/revert', { params: { path: { seq } }, body: of }))
  if (answer.problem) return plant.say(answer.problem.title, 'bad')
  plant.answered(answer.data, [])
  const kept = answer.data.kept?.length ?? 0
  plant.say(
    `${what} is as it was before change ${seq}${kept ? ` · ${kept} cells changed since stay` : ''}`,
    'plain',
    { undo: true },
  )
}

function open(seq: number) {
  const next = new Set(opened.value)
  if (!next.delete(seq)) next.add(seq)
  opened.value = next
}

onMounted(() => load())
function asked() {
  void router.replace({
    query: { who: who.value || undefined, source: source.value || undefined, tag: tag.value || undefined },
  })
  void load()
}
watchDebounced([who, source, tag], asked, { debounce: 250 })
watch(() => plant.list.version, () => load()) // prettier-ignore
</script>

<template>
  <section class="history">
    <header>
      <h1>History</h1>
      <label class="small"
        >by
        <ChoiceField
          v-model="who"
          aria-label="by whom"
          :items="[{ value: '', title: 'everybody' }, ...people]"
      /></label>
      <label class="small"
        >how
        <ChoiceField
          v-model="source"
          aria-label="how"
          :items="[
            { value: '', title: 'any way' },
            ...SOURCES.map(([key, words]) => ({ value: key, title: words })),
          ]"
      /></label>
      <DenseField
        v-model="tag"
        class="setting figure"
        placeholder="tag of a point"
        aria-label="tag of a point"
      />
      <v-btn v-if="plant.may('edit')" class="act" @click="plant.turnBack('undo')">
        undo my last (Ctrl+Z)
      </v-btn>
      <v-btn v-if="plant.may('edit')" class="act" @click="plant.turnBack('redo')">redo</v-btn>
    </header>
    <p v-if="says" class="chip bad">{{ says }}</p>
    <p v-else-if="!sets.length" class="quiet">
      {{
        who || source || tag
          ? 'Nothing like that was changed.'
          : 'Nothing has been changed yet. Each change will stand here with who and when.'
      }}
    </p>
    <ol v-else>
      <li v-for="set in sets" :key="set.seq" class="panel">
        <p class="quiet small head">
          <span
            ><span class="figure">{{ clock(set.at) }}</span> · {{ set.who }} · {{ set.source
            }}<template v-if="set.undoes"> of change {{ set.undoes }}</template> · change {{ set.seq }} ·
            {{ set.count }} cell{{ set.count === 1 ? '' : 's' }}</span
          >
          <v-btn v-if="plant.may('edit')" class="mini" @click="takeBack(set.seq, {}, 'all of it')">
            take all of it back
          </v-btn>
        </p>
        <p
          v-for="cell in set.cells.slice(0, opened.has(set.seq) ? 60 : FEW)"
          :key="cell.point + cell.field"
          class="cell"
        >
          <router-link v-if="cell.point" :to="`/point/${cell.point}`" class="figure tag">{{
            cell.tag
          }}</router-link>
          <b v-else>{{ cell.tag }}</b>
          {{ label(cell.field) }}:
          <span class="figure"
            >{{ asTyped(cell.was) || 'empty' }} → {{ asTyped(cell.became) || 'empty' }}</span
          >
          <template v-if="plant.may('edit') && cell.point && set.count > 1">
            <v-btn
              class="mini"
              @click="takeBack(set.seq, { point: cell.point, field: cell.field }, 'the cell')"
            >
              cell back
            </v-btn>
            <v-btn class="mini" @click="takeBack(set.seq, { point: cell.point }, cell.tag)"> row back </v-btn>
          </template>
        </p>
        <p v-if="set.count > FEW" class="quiet small">
          <v-btn class="mini" @click="open(set.seq)">
            {{ opened.has(set.seq) ? 'fewer' : `${Math.min(60, set.count) - FEW} more` }}</v-btn>{{
            set.count > 60 ? ` of ${set.count}` : ''
          }}
        </p>
      </li>
    </ol>
    <v-btn v-if="more && sets.length" class="act" @click="load(sets.at(-1)!.seq)"> older </v-btn>
  </section>
</template>

<style scoped>
.history {
  display: flex;
  flex-direction: column;
  gap: 10px;
  align-items: flex-start;
  height: 100%;
  padding: 18px 24px;
  overflow: auto;
}

header {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
}

.setting {
  width: 140px;
}

h1 {
  margin-right: 12px;
  font-size: 18px;
}

ol {
  display: grid;
  gap: 6px;
  width: min(920px, 100%);
  padding: 0;
  list-style: none;
}

li {
  padding: 8px 12px;
}

p {
  margin: 0 0 2px;
}

.head {
  display: flex;
  justify-content: space-between;
}

.tag {
  color: inherit;
  font-weight: 600;
}

.cell .mini {
  opacity: 0;
}

.cell:hover .mini,
.cell .mini:focus-visible {
  opacity: 1;
}
</style>
