<script setup lang="ts">
/** Every record that was signed: found, drawn as errors over time, opened as it was signed. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DateField from '../kit/DateField.vue'
import DenseField from '../kit/DenseField.vue'
import PlotView from '../plot/PlotView.vue'
import { clock, figure } from '../plant/words'

const KINDS = [
  '',
  'loop check',
  'device check',
  'channel check',
  'trim',
  'loop-back',
  'script',
  'acceptance',
].map((value) => ({ value, title: value || 'of any kind' }))
const RESULTS = [
  { value: '' as const, title: 'passed or not' },
  { value: 'yes' as const, title: 'passed' },
  { value: 'no' as const, title: 'failed' },
]
const query = ref({
  kind: '',
  who: '',
  passes: '' as '' | 'yes' | 'no',
  since: '',
  until: '',
  area: '',
  system: '',
})
const records = shallowRef<Schemas['RecordLineOut'][] | null>(null)
const count = ref(0)
const times = shallowRef<Schemas['TimelineOut'] | null>(null)
const due = shallowRef<Schemas['DueOut'][] | null>(null)
const says = ref('')
const busy = ref(false)

let asked = 0
async function load(more = false) {
  const turn = ++asked
  busy.value = true
  const wanted = { ...query.value }
  const after = more ? records.value!.at(-1)!.id : 0
  const [page, line] = await Promise.all([
    ask(api.GET('/api/records', { params: { query: { ...wanted, after } } })),
    more ? null : ask(api.GET('/api/records/timeline', { params: { query: wanted } })),
  ])
  if (turn !== asked) return
  busy.value = false
  if (page.problem) return (says.value = said(page.problem))
  says.value = ''
  records.value = more ? [...records.value!, ...page.data.records] : page.data.records
  count.value = page.data.count
  if (line?.data) times.value = line.data
}
async function loadDue() {
  const answer = await ask(api.GET('/api/due'))
  if (answer.data) due.value = answer.data.points
}
watch(query, () => load(), { deep: true })
onMounted(() => (load(), loadDue()))

const plot = computed(() => {
  const { at = [], low = [], high = [] } = times.value ?? {}
  const shared = { unit: '%', scale: 'error', decimals: 3 }
  return {
    x: at,
    lines: [
      { label: 'largest of the day', values: high, colour: 'copper' as const, ...shared },
      { label: 'least of the day', values: low, colour: 'quiet' as const, ...shared },
    ],
  }
})
const among = ref('')
/** The due list by what is looked for: area, package, cabinet, tag or reason. */
const dueShown = computed(() => {
  const words = among.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (due.value ?? []).filter((d) => {
    const text = `${d.tag} ${d.area} ${d.cabinet} ${d.route} ${d.says} ${d.day}`.toLowerCase()
    return words.every((word) => text.includes(word))
  })
})
const overdue = computed(() => (due.value ?? []).filter((d) => d.days < 0).length)
</script>

<template>
  <section class="desk">
    <header>
      <h1>records</h1>
      <span class="quiet" role="status">{{ busy ? 'looking…' : `${figure(count, 0)} signed` }}</span>
      <span class="gap" />
      <ChoiceField v-model="query.kind" :items="KINDS" aria-label="kind" />
      <ChoiceField v-model="query.passes" :items="RESULTS" aria-label="result" />
      <DenseField v-model.lazy="query.who" size="12" placeholder="by whom" aria-label="by whom" />
      <DenseField v-model.lazy="query.area" size="12" placeholder="area" aria-label="area" />
      <DenseField v-model.lazy="query.system" size="12" placeholder="system" aria-label="system" />
      <DateField v-model="query.since" placeholder="from" aria-label="from the day" />
      <DateField v-model="query.until" placeholder="to" aria-label="to the day" />
    </header>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <PlotView
      v-if="plot.x.length > 1"
      v-bind="plot"
      :height="150"
      label="errors of every record, % of span"
    />
    <details v-if="due?.length" class="panel">
      <summary>
        {{ due.length }} points have a day on which they are due<b v-if="overdue" class="settle"
          >, ▲ {{ overdue }} of them have passed</b
        >
      </summary>
      <DenseField
        v-model="among"
        type="search"
        size="28"
        placeholder="area, package, cabinet, day"
        aria-label="which of them"
      />
      <div class="wide">
        <table class="ledger">
          <thead>
            <tr>
              <th>due</th>
              <th>tag</th>
              <th>area</th>
              <th>route</th>
              <th>why</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="d in dueShown" :key="d.point">
              <td class="figure" :class="{ settle: d.days < 0 }">{{ d.days < 0 ? '▲ ' : '' }}{{ d.day }}</td>
              <td>
                <router-link class="figure tag" :to="`/check/${d.point}`">{{ d.tag }}</router-link>
              </td>
              <td>{{ d.area }}</td>
              <td>{{ d.route }}</td>
              <td>{{ d.says }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </details>
    <div v-if="records?.length" class="wide">
      <table class="ledger">
        <thead>
          <tr>
            <th class="n">record</th>
            <th>signed</th>
            <th>tag</th>
            <th>kind</th>
            <th>by</th>
            <th>result</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in records" :key="r.id">
            <td class="n figure">{{ r.id }}</td>
            <td class="figure">{{ clock(r.at) }}</td>
            <td>
              <router-link class="figure tag" :to="`/check/${r.point}`">{{ r.tag || 'gone' }}</router-link>
            </td>
            <td class="whole-words">{{ r.kind }}</td>
            <td class="whole-words">{{ r.name }}</td>
            <td :class="{ bad: r.passes === false }">{{ r.passes === false ? '■' : '✓' }} {{ r.verdict }}</td>
            <td><a :href="`/api/evidence/${r.id}/pdf`" target="_blank">PDF</a></td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-else-if="records" class="quiet">nothing of that kind was signed</p>
    <p v-if="records && records.length < count">
      <v-btn class="act" :disabled="busy" @click="load(true)">{{ busy ? 'looking…' : 'older ones' }}</v-btn>
    </p>
  </section>
</template>

<style scoped src="../parts/check/desk.css"></style>
