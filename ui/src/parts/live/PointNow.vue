<script setup lang="ts">
/**
 * One point for the person at the terminals: the figure at arm's length, what is wrong and what to do, its alarms, its
 * trend and noise, the six stations, and what can be put on or held. Beside the board, or a page of its own on a phone.
 */
import { computed, onUnmounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { kindShort, latched, putAside, shapeOf, waits } from '../../plant/alarms'
import { formOf, lostRack, nowOf } from '../../plant/now'
import { useEscape } from '../../plant/escape'
import { latest } from '../../plant/latest'
import { FLAGS } from '../../plant/live'
import { usePlant } from '../../plant/store'
import { age, clock, figure } from '../../plant/words'
import HoldPanel from './HoldPanel.vue'
import ModuleFace from './ModuleFace.vue'
import NoisePanel from './NoisePanel.vue'
import SourcePanel from './SourcePanel.vue'
import StripPanel from './StripPanel.vue'
import TracePanel from './TracePanel.vue'
import TrendChart from '../../plot/TrendChart.vue'
import { useOneMoment, type Told } from '../../plant/oneMoment'
import DenseField from '../../kit/DenseField.vue'

const props = withDefaults(defineProps<{ point: number; page?: boolean }>(), { page: false })
const emit = defineEmits<{ close: [] }>()
const plant = usePlant()
const RANGES = [[60, '1 min'], [600, '10 min'], [7200, '2 h'], [86_400, '1 d'], [604_800, '1 week']] as const // prettier-ignore
const seconds = ref(600)
/** What the point said last, of one reading: its stations, and what is wrong. */
const told = shallowRef<Told>({ path: null, advice: null })
const shelf = ref<string | null>(null)
const why = ref('')
const minutes = ref(60)
const part = ref<'' | 'put on' | 'hold' | 'noise' | 'timing' | 'trace'>('')
const partBox = ref<HTMLElement | null>(null)
const shelfBox = ref<HTMLElement[]>([])
useEscape(() => part.value, () => (part.value = ''), partBox) // prettier-ignore
useEscape(() => shelf.value !== null, () => (shelf.value = null), computed(() => shelfBox.value[0] ?? null)) // prettier-ignore

const row = computed(() => (void plant.list.version, plant.list.row(props.point) ?? -1))
const text = (field: string) => (void plant.list.version, plant.list.text(field, row.value))
const newest = computed(() => (void plant.live.version, void plant.list.version, nowOf(plant, props.point)))
// Figure, stations and causes stand here of one reading: the headline waits for what belongs to it, and the other way round.
const { now, path, advice } = useOneMoment(newest, told)
const form = computed(() => formOf(plant, row.value))
const alarms = computed(() => plant.alarmsOf.get(props.point) ?? [])
const held = computed(() => plant.temporary.filter((t) => t.point === props.point))
const isDone = computed(() => ((now.value.reading?.flags ?? 0) & FLAGS.done) !== 0)
const meter = computed(() => (void plant.live.version, plant.live.meter(props.point)))
const rack = computed(() => plant.list.racks[row.value] ?? 0)
const lost = computed(() => (void plant.live.version, lostRack(plant, rack.value)))
const trips = computed(() => text('trips'))

const read = latest(async () => {
  const mine = props.point
  const at = { params: { path: { point: mine } } }
  const [one, two] = await Promise.all([
    ask(api.GET('/api/points/{point}/path', at)),
    ask(api.GET('/api/points/{point}/advice', at)),
  ])
  if (mine !== props.point) return
  told.value = { path: one.data ?? null, advice: two.data ?? null }
})

async function say(word: Schemas['SayIn']['word'], kinds: string[]) {
  const answer = await ask(
    api.POST('/api/alarms/say', {
      body: {
        word,
        alarms: kinds.map((kind) => [props.point, kind] as [number, Schemas['SayIn']['alarms'][0][1]]),
        why: why.value,
        minutes: word === 'shelve' ? minutes.value : 0,
      },
    }),
  )
  if (answer.problem) plant.say(said(answer.problem), 'bad')
  else if (!answer.data.moved) plant.say(`nothing to ${word} here now`)
  shelf.value = null
  why.value = ''
}

async function reset() {
  const answer = await ask(api.POST('/api/faults/reset', { body: { points: [props.point] } }))
  if (answer.problem) plant.say(answer.problem.title, 'bad')
  void read()
}

/** Write what lets go the bits that latch in the module itself. */
async function resetInModule() {
  const answer = await ask(api.POST('/api/faults/module-reset', { body: { point: props.point } }))
  if (answer.problem) plant.say(said(answer.problem), 'bad')
  else plant.say(`written: ${answer.data.written.join('; ')} · what is still wrong comes back`)
}

async function zero() {
  const answer = await ask(api.POST('/api/counters/zero', { body: { points: [props.point] } }))
  if (answer.problem) plant.say(answer.problem.title, 'bad')
}

let letGo: (() => void) | undefined
watch(() => props.point, (point) => {
  told.value = { path: null, advice: null }
  letGo?.()
  letGo = plant.follow(point)
  void read()
}, { immediate: true }) // prettier-ignore
// What the point says with each reading comes by itself.
watch(() => plant.pointsNow.get(props.point), (now) => {
  if (now) told.value = now
}) // prettier-ignore
watch(rack, (r) => r && plant.watch([r]), { immediate: true })
onUnmounted(() => letGo?.())
</script>

<template>
  <article class="now" :class="{ page }">
    <header>
      <h1 class="figure">{{ text('tag') }}</h1>
      <span class="service">{{ text('service') }}</span>
      <span class="gap" />
      <router-link class="chip" :to="`/point/${point}`">path</router-link>
      <router-link class="chip" :to="`/check/${point}`">check…</router-link>
      <router-link v-if="!form.contact" class="chip" :to="`/trim/${point}`">trim…</router-link>
      <router-link v-if="plant.may('inject')" class="chip" :to="`/scripts?point=${point}`"
        >script…</router-link
      >
      <router-link v-if="!page" v-tip="'this point alone, for a phone'" class="chip" :to="`/now/${point}`"
        >alone</router-link
      >
      <v-btn v-if="!page" v-tip="'Esc'" class="chip" @click="emit('close')">close</v-btn>
      <router-link v-else class="chip" to="/live">board</router-link>
    </header>
    <p v-tip="now.title" class="big figure" :class="[now.kind, { words: now.text.length > 9 }]">
      <span v-if="now.mark" aria-hidden="true">{{ now.mark }} </span>{{ now.text
      }}<span class="unit">{{ now.unit }}</span>
    </p>
    <p class="quiet under">
      <template v-if="now.stale"
        >stale<template v-if="!lost">: read {{ age(now.seconds) }} ago</template> ·
      </template>
      <template v-if="now.reading"
        >{{ figure(now.reading.counts, now.reading.counts % 1 ? 3 : 0) || 'no' }} counts ·
      </template>
      <template v-if="lost">{{ lost.why }} · {{ lost.since }} · </template>
      {{ text('channel') || 'no channel' }}
      <template v-if="advice?.band">
        · {{ advice.band }}<template v-if="advice.lamp">, {{ advice.lamp }} lit</template></template
      >
    </p>
    <p v-if="advice?.shown != null" class="shown">
      the controller shows <b class="figure">{{ figure(advice.shown, form.decimals) }} {{ form.unit }}</b
      ><template v-if="advice.difference != null"
        >, <b class="figure">{{ figure(advice.difference, form.decimals + 1) }}</b> beside ours</template
      >
    </p>
    <p v-if="advice?.load_ma != null" class="shown">
      through its load flow <b class="figure">{{ figure(advice.load_ma, 0) }} mA</b
      ><template v-if="advice.expected_ma != null"
        >, <b class="figure">{{ figure(advice.expected_ma, 0) }} mA</b> by the list</template
      >
    </p>
    <p v-if="meter" class="meter">
      <b class="figure">{{ figure(meter.counted, 0) }}</b><template v-if="text('preset')">
        of {{ text('preset') }}</template
      >
      counted<template v-if="isDone"> · <b>done</b></template>
      ·
      <b class="figure">{{ figure(meter.total, 2) }} {{ text('pulse_unit') }}</b> ·
      <b class="figure">{{ figure(meter.rate * 60, 2) }} {{ text('pulse_unit') }}</b> a minute
      <v-btn v-if="plant.may('edit')" class="mini" @click="zero">set to zero</v-btn>
    </p>

    <section v-for="a in alarms" :key="a.kind" class="alarm" :class="shapeOf(a).tone">
      <p>
        <span aria-hidden="true">{{ shapeOf(a).sign }}</span> <b>{{ kindShort(a.kind) }}</b> {{ a.state }} ·
        {{ a.priority }} · since {{ clock(a.since) }}<template v-if="a.who"> · {{ a.who }}</template
        ><template v-if="a.why">: {{ a.why }}</template
        ><template v-if="a.until"> · until {{ clock(a.until) }}</template>
      </p>
      <p v-if="text('alarm_says') && a.kind !== 'fault'" class="quiet">{{ text('alarm_says') }}</p>
      <div v-if="plant.may('edit')" class="keys">
        <v-btn v-if="waits(a)" class="act main" @click="say('acknowledge', [a.kind])"> acknowledge </v-btn>
        <v-btn v-if="latched(a)" class="act" @click="say('reset', [a.kind])">reset</v-btn>
        <v-btn v-if="a.state === 'shelved'" class="act" @click="say('unshelve', [a.kind])"> unshelve </v-btn>
        <v-btn v-else-if="a.state === 'out of service'" class="act" @click="say('back in service', [a.kind])">
          back in service
        </v-btn>
        <v-btn v-else-if="!putAside(a)" class="act" @click="shelf = shelf === a.kind ? null : a.kind">
          shelve…
        </v-btn>
      </div>
      <form v-if="shelf === a.kind" ref="shelfBox" class="aside" @submit.prevent="say('shelve', [a.kind])">
        <label>why <DenseField v-model="why" maxlength="200" required /></label>
        <label>for <DenseField v-model.number="minutes" type="number" min="1" max="10080" /> min</label>
        <v-btn class="act main" type="submit">shelve</v-btn>
        <v-btn class="act" :disabled="!why" @click="say('take out of service', [a.kind])">
          out of service
        </v-btn>
      </form>
    </section>

    <section v-for="f in advice?.faults ?? []" :key="f.says" class="fault" :class="f.grade">
      <p>
        <span aria-hidden="true">{{ f.grade === 'bad' ? '■' : f.grade === 'settle' ? '▲' : '·' }}</span>
        {{ f.says }}
      </p>
      <p v-if="f.causes.length" class="small">likely: {{ f.causes.join('; or ') }}</p>
      <p v-if="f.next" class="small"><b>next:</b> {{ f.next }}</p>
    </section>
    <v-btn v-if="advice?.latched && plant.may('edit')" class="act main" @click="reset">
      reset the fault
    </v-btn>
    <p v-if="advice?.resets?.length && advice.faults.length && plant.may('inject')" class="kept">
      <v-btn class="act" @click="resetInModule">reset in the module</v-btn>
      <span class="small quiet"
        >it keeps some faults until it is reset; this writes: {{ advice.resets.join('; ') }}</span
      >
    </p>

    <section v-for="t in held" :key="t.id" class="fault apart">
      <p>◇ {{ t.kind }}: {{ t.what }}</p>
      <p class="small">
        {{ t.who }} since {{ clock(t.at) }}<template v-if="t.why"> · {{ t.why }}</template>
      </p>
    </section>

    <ModuleFace :point="point" />
    <ol v-if="path" class="stations" :class="{ stale: now.stale }">
      <li v-for="s in path.stations" :key="s.name">
        <span>{{ s.name }}</span>
        <b class="figure"
          >{{ s.figure || '–' }} <span class="quiet">{{ s.unit }}</span></b
        >
      </li>
    </ol>

    <div class="keys ranges">
      <v-btn
        v-for="[s, says] in RANGES"
        :key="s"
        class="chip"
        :class="{ on: seconds === s }"
        @click="seconds = s"
      >
        {{ says }}
      </v-btn>
    </div>
    <TrendChart :point="point" :seconds="seconds" :height="page ? 220 : 170" :beside="page" />

    <p v-if="trips" class="trips">▲ it {{ trips }}</p>
    <div class="keys">
      <v-btn
        v-for="name in ['put on', 'hold', 'noise', 'timing', 'trace'] as const"
        :key="name"
        class="chip"
        :class="{ on: part === name }"
        @click="part = part === name ? '' : name"
      >
        {{ name }}…
      </v-btn>
    </div>
    <div v-if="part" ref="partBox">
      <SourcePanel v-if="part === 'put on'" :point="point" />
      <HoldPanel v-if="part === 'hold'" :point="point" />
      <NoisePanel v-if="part === 'noise'" :point="point" />
      <StripPanel v-if="part === 'timing'" :point="point" :contact="form.contact" />
      <TracePanel v-if="part === 'trace'" :point="point" />
    </div>
  </article>
</template>

<style scoped>
.kept {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}

.now {
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 10px 14px 20px;
}

header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px;
}

header a {
  text-decoration: none;
}

h1 {
  margin: 0;
  font-size: 18px;
}

.service {
  color: rgb(var(--v-theme-quiet));
}

.gap {
  flex: 1;
}

p {
  margin: 0;
}

.big {
  font-size: 52px;
  line-height: 60px;
  white-space: nowrap;
}

.now.page .big {
  font-size: min(19vw, 96px);
  line-height: 1.15;
}

.big.words {
  overflow: hidden;
  font-size: 34px;
  text-overflow: ellipsis;
}

.unit {
  margin-left: 8px;
  color: rgb(var(--v-theme-quiet));
  font-size: 0.42em;
}

.big.bad {
  color: rgb(var(--v-theme-bad));
}

.big.doubtful {
  color: rgb(var(--v-theme-settle));
}

.big.injected {
  color: rgb(var(--v-theme-apart));
}

.big.stale,
.big.none {
  color: rgb(var(--v-theme-quiet));
}

.big.stale {
  font-style: italic;
}

.alarm,
.fault {
  padding: 6px 10px;
  border: 1px solid rgb(var(--v-theme-line));
  border-left: 5px solid rgb(var(--v-theme-duct));
  border-radius: 2px;
  background: rgb(var(--v-theme-surface));
}

.alarm.bad,
.alarm.seen,
.fault.bad {
  border-left-color: rgb(var(--v-theme-bad));
}

.alarm.over {
  border-left: 5px double rgb(var(--v-theme-bad));
}

.fault.settle {
  border-left-color: rgb(var(--v-theme-settle));
}

.fault.apart {
  border: 1px dashed rgb(var(--v-theme-apart));
}

.alarm .keys {
  margin-top: 5px;
}

.aside {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px;
  margin-top: 6px;
}

.aside input {
  width: 170px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

.aside input[type='number'] {
  width: 70px;
}

.stations {
  display: grid;
  grid-template-columns: repeat(6, minmax(0, 1fr));
  gap: 1px;
  margin: 0;
  padding: 0;
  border: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-line));
  list-style: none;
}

.stations li {
  display: flex;
  flex-direction: column;
  padding: 3px 6px;
  overflow: hidden;
  background: rgb(var(--v-theme-surface));
  font-size: 10.5px;
  white-space: nowrap;
}

.stations b {
  font-size: 13px;
  font-weight: 400;
}

.stations.stale b {
  color: rgb(var(--v-theme-quiet));
  font-style: italic;
}

.trips {
  color: rgb(var(--v-theme-settle));
}

@media (max-width: 760px) {
  .stations {
    grid-template-columns: repeat(3, minmax(0, 1fr));
  }

  .now.page .chip,
  .now.page .act {
    padding: 8px 16px;
    font-size: 15px;
  }
}
</style>
