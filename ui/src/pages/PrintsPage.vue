<script setup lang="ts">
/** Documents on paper: chosen with the part of the plant they are of, made apart, fetched when they are done. */
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'

type Document = Schemas['PrintIn']['document']
const DOCUMENTS: readonly { value: Document; title: string; says: string }[] = [
  { value: 'list', title: 'I/O list', says: 'every point, what changed since the last issue marked' },
  { value: 'loops', title: 'loop sheets', says: 'a sheet a point: its circuit drawn, what a meter reads' },
  { value: 'terminals', title: 'terminal plan', says: 'strip by strip: from the field, and where it goes' },
  { value: 'cables', title: 'cable list', says: 'from where to where, how many cores are spare' },
  { value: 'cores', title: 'core list', says: 'every core of every cable, spare ones too' },
  {
    value: 'elevations',
    title: 'cabinet elevations',
    says: 'racks and modules as they stand, how full they are',
  },
  {
    value: 'cards',
    title: 'module cards',
    says: 'for the door: each channel with its terminals and what is on it',
  },
  {
    value: 'alarms',
    title: 'alarm list',
    says: 'limits, deadbands, delays, priorities, what must be done by when',
  },
  { value: 'registers', title: 'register map', says: 'what displays and other systems read where' },
  { value: 'redline', title: 'redline', says: 'every cell that is not as it was issued, before and now' },
  {
    value: 'records',
    title: 'check records',
    says: 'a sheet for each signed record, and which points have none',
  },
  {
    value: 'labels devices',
    title: 'labels for devices',
    says: 'tag, service and a code that leads to the point',
  },
  { value: 'labels terminals', title: 'labels for terminals', says: 'marks of the strips' },
  { value: 'labels wires', title: 'labels for wires', says: 'both ends of each core, each with the other' },
]
const PARTS = [
  { value: '', title: 'the whole plant' },
  { value: 'area', title: 'an area' },
  { value: 'cabinet', title: 'a cabinet' },
  { value: 'system', title: 'a system' },
] as const
const PAPERS = ['A4', 'A3'] as const
const SHEETS = [
  { value: 'A4', title: 'A4 sheets' },
  { value: 'A3', title: 'A3 sheets' },
  { value: 'roll', title: 'a roll' },
] as const
const SIZES = [
  ['across', 'across'],
  ['down', 'down'],
  ['wide', 'wide, mm'],
  ['high', 'high, mm'],
  ['left', 'from left, mm'],
  ['top', 'from top, mm'],
  ['gap_x', 'gap across, mm'],
  ['gap_y', 'gap down, mm'],
  ['skip', 'used already'],
] as const
const LOOK_MS = 1000

const told = shallowRef<Schemas['PrintsOut'] | null>(null)
const document = ref<Document>('loops')
const part = ref<'' | 'area' | 'cabinet' | 'system'>('')
const name = ref('')
const paper = ref<'A4' | 'A3'>('A4')
const sheet = ref<'A4' | 'A3' | 'roll'>('A4')
const sizes = ref<Record<(typeof SIZES)[number][0], string>>({
  across: '3', down: '8', wide: '70', high: '37', left: '0', top: '0.5', gap_x: '0', gap_y: '0', skip: '0',
}) // prettier-ignore
const wrong = ref('')

async function look() {
  const answer = await ask(api.GET('/api/prints'))
  if (answer.problem) return void (wrong.value = said(answer.problem))
  told.value = answer.data
}
onMounted(look)
const busy = computed(() => told.value?.prints.some((p) => p.state === 'works') ?? false)
const again = useIntervalFn(() => void look(), LOOK_MS, { immediate: false })
watch(busy, (on) => (on ? again.resume() : again.pause()))

const labels = computed(() => document.value.startsWith('labels'))
const names = computed(() =>
  part.value === 'area'
    ? (told.value?.areas ?? [])
    : part.value === 'cabinet'
      ? (told.value?.cabinets ?? [])
      : part.value === 'system'
        ? (told.value?.systems ?? [])
        : [],
)
watch(names, (all) => (name.value = all.includes(name.value) ? name.value : (all[0] ?? '')))
const titled = (value: string) => DOCUMENTS.find((d) => d.value === value)?.title ?? value
const when = (at: string) => new Date(at).toLocaleString()

async function print() {
  const bad = labels.value && SIZES.find(([key]) => !/^\d+([.,]\d+)?$/.test(sizes.value[key].trim()))
  if (bad) return void (wrong.value = `“${sizes.value[bad[0]]}” is no figure: ${bad[1]}`)
  const figures = Object.fromEntries(
    SIZES.map(([key]) => [key, Number(sizes.value[key].replace(',', '.'))]),
  ) as Record<(typeof SIZES)[number][0], number>
  const stock = labels.value
    ? { ...figures, sheet: sheet.value }
    : {
        across: 3,
        down: 8,
        wide: 70,
        high: 37,
        left: 0,
        top: 0.5,
        gap_x: 0,
        gap_y: 0,
        skip: 0,
        sheet: 'A4' as const,
      }
  const body = { document: document.value, paper: paper.value, part: part.value, name: name.value, stock }
  const answer = await ask(api.POST('/api/prints', { body }))
  wrong.value = answer.problem ? said(answer.problem) : ''
  await look()
}
</script>

<template>
  <section class="prints leaf">
    <header>
      <h1>Prints</h1>
      <span class="quiet">PDF in one frame: plant, issue, day, page, who signed</span>
    </header>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <form class="panel" @submit.prevent="print">
      <div class="documents" role="radiogroup" aria-label="what to print">
        <v-btn
          v-for="d in DOCUMENTS"
          :key="d.value"
          class="document option"
          role="radio"
          :aria-checked="document === d.value"
          :class="{ here: document === d.value }"
          @click="document = d.value"
        >
          <span class="words"
            ><b>{{ d.title }}</b
            ><span class="small quiet">{{ d.says }}</span></span
          >
        </v-btn>
      </div>
      <p class="row">
        of
        <ChoiceField v-model="part" aria-label="of what" :items="PARTS" />
        <ChoiceField v-if="part" v-model="name" aria-label="which one" :items="names" />
        <ChoiceField v-if="!labels" v-model="paper" aria-label="paper" :items="PAPERS" />
        <ChoiceField v-else v-model="sheet" aria-label="stock" :items="SHEETS" />
        <v-btn type="submit" class="act main" :disabled="!!part && !name">print</v-btn>
      </p>
      <p v-if="labels" class="row sizes">
        <label v-for="[key, label] in SIZES" :key="key" class="small"
          ><span class="quiet">{{ label }}</span
          ><DenseField v-model="sizes[key]" size="5" inputmode="decimal" :aria-label="label"
        /></label>
      </p>
    </form>
    <section class="panel" aria-label="made">
      <p v-if="told && !told.prints.length" class="quiet">
        Nothing was printed yet. What is made stays here for a day.
      </p>
      <div v-for="p in told?.prints" :key="p.id" class="job">
        <span>
          <b>{{ titled(p.document) }}</b>{{ p.name && ` of ${p.name}`
          }}{{ p.document.startsWith('labels') ? '' : `, ${p.paper}` }}
          <span class="quiet small">{{ p.who }}, {{ when(p.at) }}</span>
        </span>
        <a v-if="p.there" class="act" :href="`/api/prints/${p.id}/file`" download>fetch</a>
        <span v-else-if="p.state === 'works'" class="small" role="status">
          <v-progress-linear
            :model-value="p.done * 100"
            height="4"
            color="copper"
            :aria-label="`${titled(p.document)}, done`"
          />
          {{ p.says || 'waits' }}, {{ Math.round(p.done * 100) }} %
        </span>
        <span v-else-if="p.state === 'failed'" class="small bad">■ {{ p.says }}</span>
        <span v-else class="small quiet">its file is gone: print it again</span>
      </div>
    </section>
  </section>
</template>

<style scoped>
.documents {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: 6px;
}

.document {
  min-height: 52px;
}

.words {
  display: grid;
}

.sizes label {
  display: grid;
}

.job {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(120px, 220px);
  gap: 12px;
  align-items: center;
  padding-top: 8px;
  border-top: 1px solid rgb(var(--v-theme-line));
}

.job a {
  justify-self: end;
  text-decoration: none;
}
</style>
