<script setup lang="ts">
/** What was changed, by whom and when; newest first, more on request. */
import { onMounted, ref, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { asTyped, clock } from '../plant/words'

const plant = usePlant()
const sets = ref<Schemas['HistorySet'][]>([])
const says = ref('')
const more = ref(true)
const MOST = 50

async function load(before?: number) {
  const answer = await ask(api.GET('/api/history', { params: { query: { before, most: MOST } } }))
  if (answer.problem) return void (says.value = answer.problem.title)
  sets.value = before ? [...sets.value, ...answer.data.sets] : answer.data.sets
  more.value = answer.data.sets.length === MOST
}

const label = (name: string) => {
  const field = plant.plant?.fields.find((f) => f.name === name)
  return field ? `${field.station.toLowerCase()} ${field.label}` : name
}

onMounted(() => load())
watch(
  () => plant.list.version,
  () => load(),
)
</script>

<template>
  <section class="history">
    <header>
      <h1>History</h1>
      <button v-if="plant.may('edit')" class="act" type="button" @click="plant.turnBack('undo')">
        undo my last (Ctrl+Z)
      </button>
      <button v-if="plant.may('edit')" class="act" type="button" @click="plant.turnBack('redo')">redo</button>
    </header>
    <p v-if="says" class="chip bad">{{ says }}</p>
    <p v-else-if="!sets.length" class="quiet">
      Nothing has been changed yet. Each change will stand here with who and when.
    </p>
    <ol v-else>
      <li v-for="set in sets" :key="set.seq" class="panel">
        <p class="quiet small">
          <span class="figure">{{ clock(set.at) }}</span> · {{ set.who }} · {{ set.source }}
          <template v-if="set.undoes"> of change {{ set.undoes }}</template> · change {{ set.seq }}
        </p>
        <p v-for="cell in set.cells.slice(0, 6)" :key="cell.point + cell.field">
          <router-link :to="`/point/${cell.point}`" class="figure tag">{{ cell.tag }}</router-link>
          {{ label(cell.field) }}:
          <span class="figure"
            >{{ asTyped(cell.was) || 'empty' }} → {{ asTyped(cell.became) || 'empty' }}</span
          >
        </p>
        <p v-if="set.cells.length > 6" class="quiet">and {{ set.cells.length - 6 }} more cells</p>
      </li>
    </ol>
    <button v-if="more && sets.length" class="act" type="button" @click="load(sets.at(-1)!.seq)">
      older
    </button>
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
  gap: 10px;
  align-items: center;
}

h1 {
  margin-right: 12px;
  font-size: 18px;
}

ol {
  display: grid;
  gap: 6px;
  width: min(820px, 100%);
  padding: 0;
  list-style: none;
}

li {
  padding: 8px 12px;
}

.tag {
  color: inherit;
  font-weight: 600;
}
</style>
