<script setup lang="ts">
/** One point of a package, away: what to put on, what must be read, what was; a photo, what is to be mended, and done. */
import { computed, ref } from 'vue'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import FilePick from '../kit/FilePick.vue'
import { smallJpeg } from '../kit/photo'
import { figure } from '../plant/words'
import AwayPages from './AwayPages.vue'
import {
  judged,
  newKey,
  typedFigure,
  whyNot,
  type AwayPoint,
  type Mark,
  type Person,
  type Punch,
  type Work,
} from './model'

const props = defineProps<{ point: AwayPoint; person: Person; punches: Punch[]; marks: Mark[] }>()
const work = defineModel<Work>({ required: true })
const emit = defineEmits<{ back: []; punch: [Punch]; mark: [Mark] }>()
const says = ref('')
const what = ref('')
const severity = ref<'A' | 'B' | 'C'>('B')
const PHASES = [{ value: '' as const, title: 'as it is' }, 'as found' as const, 'as left' as const]
const VIEWS = ['test', 'path', 'wiring', 'settings'] as const
const view = ref<(typeof VIEWS)[number]>('test')
const RUNGS = ['wired', 'continuity', 'powered'] as const

const told = computed(() =>
  props.point.steps.map((step, i) => judged(props.point, step, work.value.readings[i])),
)
const asks = computed(() => told.value.some((one) => one?.asks))
const not = computed(() => whyNot(props.point, work.value, props.person))
const mine = computed(() => props.punches.filter((one) => one.point === props.point.id))
const marked = (rung: string) => props.marks.find((one) => one.point === props.point.id && one.rung === rung)
const about = computed(() => {
  const { area, channel, terminals, cable, cores, strip } = props.point
  const told = { terminals, cable, cores }
  const named = Object.entries(told).flatMap(([name, text]) => (text ? [`${name} ${text}`] : []))
  return [area, channel, ...named, strip].filter(Boolean).join(' · ')
})
const now = () => new Date().toISOString()

/** Whatever is changed after it was done is another result. */
function change(more: Partial<Work>) {
  work.value = { ...work.value, ...more, done: '' }
}

function read(i: number, name: 'signal' | 'value', text: string) {
  const number = typedFigure(text)
  if (number === undefined) return (says.value = `“${text}” is no figure`)
  says.value = ''
  const readings = work.value.readings.map((r, k) => (k === i ? { ...r, [name]: number, at: now() } : r))
  change({ readings, doubts_seen: false })
}

async function photo(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  try {
    change({ photo: await smallJpeg(file) })
    says.value = ''
  } catch {
    says.value = `“${file.name}” is no picture that this browser can read`
  }
}

function finish() {
  work.value = { ...work.value, done: newKey(), read_at: now() }
}

const tester = () => props.person.tester || 'nobody said'

function raise() {
  if (!what.value.trim()) return
  emit('punch', {
    key: newKey(), point: props.point.id, read_at: now(), tester: tester(), what: what.value.trim(),
    severity: severity.value, photo: '',
  }) // prettier-ignore
  what.value = ''
}

function mark(rung: Mark['rung']) {
  emit('mark', { key: newKey(), point: props.point.id, read_at: now(), tester: tester(), rung })
}
</script>

<template>
  <article>
    <p><v-btn class="act" @click="emit('back')">← all points</v-btn></p>
    <h2>
      <span class="figure">{{ point.tag }}</span> {{ point.service }}
    </h2>
    <p class="quiet">{{ about }}</p>
    <p v-for="t in point.trips_told" :key="t" class="settle">▲ {{ t }}</p>
    <p v-for="t in point.open" :key="t" class="settle">▲ open when it was taken along: {{ t }}</p>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <p v-if="point.why_not" class="settle">▲ {{ point.why_not }}</p>
    <div v-if="point.page" class="views" role="group" aria-label="what is shown of it">
      <v-btn
        v-for="one in VIEWS"
        :key="one"
        class="act"
        :class="{ main: view === one }"
        :aria-pressed="view === one"
        @click="view = one"
      >
        {{ one }}
      </v-btn>
    </div>
    <AwayPages v-if="point.page && view !== 'test'" :page="point.page" :shows="view" />
    <template v-else>
      <section
        v-for="(s, i) in point.steps"
        :key="i"
        class="card"
        :class="{ off: told[i] && !told[i]!.passes }"
      >
        <b class="figure">{{ s.signal }}</b>
        <span class="quiet">{{ s.share }} % {{ s.way }} · {{ s.value }} due</span>
        <span v-if="point.contact" class="pair">
          <v-btn
            v-for="state in [0, 1]"
            :key="state"
            class="act"
            :class="{ main: work.readings[i]?.value === state }"
            :aria-pressed="work.readings[i]?.value === state"
            @click="read(i, 'value', String(state))"
          >
            {{ point.words[state] }}
          </v-btn>
        </span>
        <span v-else class="pair">
          <DenseField
            class="figure"
            inputmode="decimal"
            :model-value="work.readings[i]?.signal ?? ''"
            :placeholder="point.signal_unit"
            :aria-label="`what the calibrator said at ${s.share} % ${s.way}`"
            @change="read(i, 'signal', ($event.target as HTMLInputElement).value)"
          />
          <DenseField
            class="figure"
            inputmode="decimal"
            :model-value="work.readings[i]?.value ?? ''"
            :placeholder="`read, ${point.unit}`"
            :aria-label="`what was read at ${s.share} % ${s.way}`"
            @change="read(i, 'value', ($event.target as HTMLInputElement).value)"
          />
        </span>
        <span v-if="told[i]" class="verdict" :class="{ bad: !told[i]!.passes }">
          {{ told[i]!.passes ? '✓ within' : '■ off' }}
          <template v-if="!point.contact">{{ figure(told[i]!.ofSpan, 3) }} %</template>
        </span>
        <span v-if="told[i]?.asks" class="settle">▲ {{ told[i]!.asks }}</span>
      </section>
      <section class="card rest">
        <v-checkbox
          v-if="asks"
          :model-value="work.doubts_seen"
          label="it was read so"
          @update:model-value="change({ doubts_seen: !!$event })"
        />
        <v-checkbox
          v-if="point.trips"
          :model-value="work.inhibited"
          label="it is inhibited, or tripping is agreed on"
          @update:model-value="change({ inhibited: !!$event })"
        />
        <div class="label">
          the loop
          <ChoiceField
            :model-value="work.phase"
            aria-label="how the loop stood"
            :items="PHASES"
            @update:model-value="change({ phase: $event })"
          />
        </div>
        <label class="label"
          >note
          <DenseField
            :model-value="work.note"
            maxlength="400"
            @change="change({ note: ($event.target as HTMLInputElement).value })"
        /></label>
        <FilePick
          class="act pickme"
          accept="image/*"
          capture="environment"
          aria-label="photo"
          @change="photo"
          >{{ work.photo ? 'another photo…' : 'photo…' }}</FilePick
        >
        <img
          v-if="work.photo"
          :src="`data:image/jpeg;base64,${work.photo}`"
          alt="the photo that goes with it"
        />
        <p v-if="work.done">
          ✓ done, {{ work.read_at.slice(0, 16).replace('T', ' ') }}; typing anything opens it again
        </p>
        <p v-else-if="not" class="settle">▲ {{ not }}</p>
        <v-btn v-if="!work.done" class="act main" :disabled="!!not" @click="finish">done</v-btn>
      </section>
      <section class="card rest">
        <span class="pair">
          <v-btn
            v-for="rung in RUNGS"
            :key="rung"
            class="act"
            :class="{ main: marked(rung) }"
            :aria-pressed="!!marked(rung)"
            @click="mark(rung)"
          >
            {{ marked(rung) ? '✓ ' : '' }}{{ rung }}
          </v-btn>
        </span>
        <p v-for="one in mine" :key="one.key">▲ {{ one.severity }} {{ one.what }}</p>
        <span class="pair">
          <DenseField
            v-model="what"
            maxlength="1000"
            placeholder="what is to be mended"
            aria-label="what is to be mended"
          />
          <ChoiceField v-model="severity" aria-label="how bad" :items="['A', 'B', 'C']" />
          <v-btn class="act" :disabled="!what.trim()" @click="raise">raise it</v-btn>
        </span>
      </section>
    </template>
  </article>
</template>

<style scoped>
h2 {
  margin: 6px 0;
  font-size: 18px;
}

p {
  margin: 4px 0;
}

.card {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}

.card.off {
  border-left-color: rgb(var(--v-theme-bad));
}

.pair {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-left: auto;
}

.pair :deep(input.dense) {
  width: 110px;
}

.views {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
  gap: 6px;
  margin: 8px 0;
}

.rest {
  flex-direction: column;
  align-items: stretch;
}

.rest .pair {
  margin: 0;
}

.rest .pair :deep(input.dense) {
  flex: 1;
}

.label {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  align-items: center;
}

.pickme {
  align-self: flex-start;
}

img {
  max-width: 260px;
}
</style>
