<script setup lang="ts">
/** The strip at the foot of the list: what the selected cell is, what is wrong with it, who changed it last. */
import { useDebounceFn, watchDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { sums, type Sums } from '../plant/order'
import { asTyped, clock } from '../plant/words'
import FindingCard from './FindingCard.vue'

const props = defineProps<{
  point: number
  field: string
  cells: number
  points?: number[]
  texts?: () => string[][]
}>()
const MOST_SUMMED = 400_000
const plant = usePlant()
const changes = ref<Schemas['HistorySet'][]>([])

const row = computed(() => (void plant.list.version, plant.list.row(props.point) ?? -1))
const about = computed(() => plant.plant?.fields.find((f) => f.name === props.field))
const text = computed(() => (void plant.list.version, plant.list.text(props.field, row.value)))
const wait = computed(() => plant.waitingAt(props.point, props.field))
const findings = computed(() => plant.findingsOf.get(props.point) ?? [])

// What the selected cells come to; worked out when the selection rests.
const total = ref<Sums | null>(null)
const add = useDebounceFn(() => {
  if (props.cells > 1 && props.cells <= MOST_SUMMED) total.value = sums((props.texts?.() ?? []).flat())
}, 120)
watch(
  () => [props.cells, props.point, props.field, plant.list.version],
  () => {
    total.value = null
    void add()
  },
  { immediate: true },
)
const lock = computed(() => plant.locks.get(props.point))
const meaning = computed(() => (props.field === 'tag' ? plant.list.text('meaning', row.value) : ''))

let asked = 0
async function load() {
  const mine = ++asked
  const answer = await ask(api.GET('/api/history', { params: { query: { point: props.point, most: 3 } } }))
  if (mine === asked && answer.data) changes.value = answer.data.sets
}
watchDebounced(() => [props.point, plant.list.version], load, { debounce: 150, immediate: true })

const label = (name: string) => {
  const field = plant.plant?.fields.find((f) => f.name === name)
  return field ? `${field.station.toLowerCase()} ${field.label}` : name
}

function mine() {
  if (!wait.value) return
  void plant.save([
    { point: props.point, field: props.field, was: wait.value.theirs ?? text.value, text: wait.value.text },
  ])
}
</script>

<template>
  <footer class="strip">
    <section>
      <h2>
        <span class="figure">{{ plant.list.text('tag', row) }}</span> · {{ about?.station.toLowerCase() }}
        {{ about?.label }}
        <span class="quiet">{{ meaning ? `its letters say: ${meaning}` : about?.says }}</span>
      </h2>
      <p v-if="lock" class="small">
        <span aria-hidden="true">▣</span> locked by {{ lock.who }}: {{ lock.why }}
      </p>
      <div v-if="wait && wait.state !== 'saving'" class="refusal" role="alert">
        <p><span aria-hidden="true">■</span> {{ wait.says }}</p>
        <p class="quiet">
          “{{ wait.text }}” is kept here; the list still says {{ asTyped(text) || 'nothing' }}
        </p>
        <p class="ways">
          <v-btn v-if="wait.state === 'conflict'" class="act main" @click="mine"> take mine </v-btn>
          <v-btn class="act" @click="plant.drop(point, field)">
            {{ wait.state === 'conflict' ? 'take theirs' : 'leave it as it was' }}
          </v-btn>
        </p>
      </div>
      <template v-else>
        <FindingCard v-for="finding in findings" :key="finding.key" :finding="finding" />
        <p v-if="!findings.length" class="quiet">nothing to settle on this point</p>
      </template>
    </section>
    <section>
      <h2>last changes here</h2>
      <p v-if="!changes.length" class="quiet">none yet</p>
      <p v-for="set in changes" :key="set.seq" class="quiet small">
        <span class="figure">{{ clock(set.at) }}</span> {{ set.who }}, {{ set.source }}:
        <template v-for="(cell, i) in set.cells.slice(0, 2)" :key="cell.field"
          >{{ i ? ', ' : '' }}{{ label(cell.field) }}
          <span class="figure"
            >{{ asTyped(cell.was) || 'empty' }} → {{ asTyped(cell.became) || 'empty' }}</span
          ></template
        ><template v-if="set.cells.length > 2"> and {{ set.cells.length - 2 }} more</template>
      </p>
    </section>
    <section>
      <h2>selected: {{ cells }} cell{{ cells === 1 ? '' : 's' }}</h2>
      <p v-if="total" class="small">
        <template v-if="total.figures">
          sum <span class="figure">{{ total.sum }}</span> · mean
          <span class="figure">{{ total.mean }}</span> · from <span class="figure">{{ total.least }}</span> to
          <span class="figure">{{ total.most }}</span> ·
        </template>
        {{ total.filled }} filled{{
          total.figures && total.figures < total.filled ? `, ${total.figures} figures` : ''
        }}, {{ total.cells - total.filled }} empty
      </p>
      <p class="quiet small">
        Enter opens the signal path · F2 or typing edits · Ctrl+D fills down · Alt+S counts on · Alt+N new
        points · F1 all keys
      </p>
    </section>
  </footer>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: minmax(0, 2.2fr) minmax(0, 1.5fr) minmax(0, 1fr);
  gap: 24px;
  height: 124px;
  padding: 8px 14px;
  overflow: auto;
  border-top: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-bar));
}

h2 {
  margin: 0 0 2px;
  font-size: 13px;
  font-weight: 600;
}

h2 .quiet {
  font-weight: 400;
}

p {
  margin: 0 0 2px;
}

.refusal p:first-child {
  color: rgb(var(--v-theme-bad));
}

.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}

/* On a phone there is room for what the cell is and what is wrong with it. */
@media (max-width: 760px) {
  .strip {
    grid-template-columns: minmax(0, 1fr);
    height: 108px;
  }

  .strip > :nth-child(n + 2) {
    display: none;
  }
}
</style>
