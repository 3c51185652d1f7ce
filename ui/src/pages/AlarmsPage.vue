<script setup lang="ts">
/** Alarms: what waits for somebody first; the journal; what chatters and what stands. */
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { ask, api, said, type Schemas } from '../api/client'
import AlarmHabits from '../parts/live/AlarmHabits.vue'
import AlarmJournal from '../parts/live/AlarmJournal.vue'
import { useAlarmWords } from '../plant/alarmWords'
import { alarmName, byUrgency, latched, putAside, rackOf, shapeOf, waits } from '../plant/alarms'
import { usePlant, type OpenAlarm } from '../plant/store'
import { age, clock } from '../plant/words'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'
import { isTyping } from '../kit/typing'

type Word = Schemas['SayIn']['word']
const plant = usePlant()
const router = useRouter()
const { cell, rackName, value, wayTo } = useAlarmWords(plant)
const shows = ref<'waiting' | 'all' | 'aside' | 'journal' | 'often'>('waiting')
const chosen = ref(new Set<string>())
const why = ref('')
const minutes = ref(60)
const asking = ref<'' | 'shelve' | 'take out of service'>('')
const busy = ref(false)
const tick = ref(0)

const keyOf = (a: { point: number; kind: string }) => `${a.point}:${a.kind}`
const all = computed(() => [...plant.alarms].sort(byUrgency))
const groups = computed(() => ({
  waiting: all.value.filter(waits),
  all: all.value.filter((a) => !putAside(a)),
  aside: all.value.filter(putAside),
}))
const query = ref('')
const MOST_ROWS = 200
const MOST_NAMED = 6
const rows = ref(MOST_ROWS)
/** Of the alarms of a tab, those whose tag, service, area or priority has every word that is looked for. */
const shown = computed(() => {
  const some = shows.value in groups.value ? groups.value[shows.value as 'all'] : []
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  if (!words.length) return some
  return some.filter((a) => {
    const told = [
      ...(rackOf(a) ? [rackName(a.point)] : ['tag', 'service', 'area'].map((f) => cell(a.point, f))),
      a.priority,
      alarmName(a),
      a.state,
    ]
    const text = told.join(' ').toLowerCase()
    return words.every((word) => text.includes(word))
  })
})
const untold = computed(() => plant.alarmCount.all - plant.alarms.length)
const picked = computed(() => shown.value.filter((a) => chosen.value.has(keyOf(a))))
/** The points of a rack by name, so that whoever sees its alarm knows what nobody can see now. */
function pointsOf(rack: number): { some: string; all: number } {
  void plant.list.version
  const tags: string[] = []
  let all = 0
  for (let row = 0; row < plant.list.length; row++)
    if (plant.list.racks[row] === rack && ++all <= MOST_NAMED) tags.push(plant.list.text('tag', row))
  return { some: tags.filter(Boolean).join(', '), all }
}
const since = (iso: string) => (
  void tick.value,
  age(Math.max(0, (plant.live.time() - Date.parse(iso)) / 1000))
)
function limit(a: OpenAlarm): string {
  const text = cell(a.point, `alarm_${a.kind}`)
  return text && a.kind !== 'fault' && a.kind !== 'state' ? `limit ${text}` : ''
}

const open = (a: OpenAlarm) => router.push(wayTo(a))

function pick(a: OpenAlarm, event?: MouseEvent) {
  const next = new Set(chosen.value)
  const key = keyOf(a)
  if (event?.shiftKey && chosen.value.size) {
    const keys = shown.value.map(keyOf)
    const from = keys.findIndex((k) => chosen.value.has(k))
    const to = keys.indexOf(key)
    for (const k of keys.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(k)
  } else if (next.has(key)) next.delete(key)
  else next.add(key)
  chosen.value = next
}

async function say(word: Word, some: OpenAlarm[]) {
  if (!some.length) return
  busy.value = true
  const answer = await ask(
    api.POST('/api/alarms/say', {
      body: {
        word,
        alarms: some.map((a) => [a.point, a.kind] as Schemas['SayIn']['alarms'][0]),
        why: why.value,
        minutes: word === 'shelve' ? minutes.value : 0,
      },
    }),
  )
  busy.value = false
  if (answer.problem) return plant.say(said(answer.problem), 'bad')
  const rest = answer.data.asked - answer.data.moved
  plant.say(
    `${word}: ${answer.data.moved}${rest ? ` · ${rest} were in a state that knows no such word` : ''}`,
  )
  chosen.value = new Set()
  asking.value = ''
  why.value = ''
}

function key(event: KeyboardEvent) {
  if (isTyping(event.target)) return
  if (event.key === 'a' && !event.ctrlKey) void say('acknowledge', picked.value.filter(waits))
  else if (event.key === 'a' && event.ctrlKey) {
    event.preventDefault()
    chosen.value = new Set(shown.value.map(keyOf))
  }
}

watch(shows, () => (chosen.value = new Set()))
useIntervalFn(() => tick.value++, 1000)
useEventListener('keydown', key)
onMounted(() => {
  if (!groups.value.waiting.length && groups.value.all.length) shows.value = 'all'
})
const VIEWS = [['waiting', 'wait for somebody'], ['all', 'all that stand'], ['aside', 'suppressed'], ['journal', 'journal'], ['often', 'chattering and standing']] as const // prettier-ignore

useEscape(() => chosen.value.size, () => (chosen.value = new Set())) // prettier-ignore
const aside = ref<HTMLElement | null>(null)
useEscape(() => asking.value, () => (asking.value = ''), aside) // prettier-ignore
</script>

<template>
  <section class="alarms">
    <div class="tools">
      <v-btn
        v-for="[name, says] in VIEWS"
        :key="name"
        class="chip"
        :class="{ on: shows === name }"
        @click="shows = name"
      >
        {{ name in groups ? `${says} · ${groups[name as 'all'].length}` : says }}
      </v-btn>
      <DenseField
        v-if="shows in groups"
        v-model="query"
        class="find"
        type="search"
        placeholder="kiln 2 high"
        aria-label="find among the alarms"
      />
      <span class="gap" />
      <template v-if="plant.may('edit') && shown.length">
        <span class="quiet small">{{
          picked.length ? `${picked.length} chosen` : 'choose some, or Ctrl+A'
        }}</span>
        <v-btn
          v-tip="'a'"
          class="act main"
          :disabled="busy || !picked.some(waits)"
          @click="say('acknowledge', picked.filter(waits))"
        >
          acknowledge
        </v-btn>
        <v-btn
          class="act"
          :disabled="busy || !picked.some(latched)"
          @click="say('reset', picked.filter(latched))"
        >
          reset
        </v-btn>
        <template v-if="shows === 'aside'">
          <v-btn class="act" :disabled="busy || !picked.length" @click="say('unshelve', picked)">
            unshelve
          </v-btn>
          <v-btn class="act" :disabled="busy || !picked.length" @click="say('back in service', picked)">
            back in service
          </v-btn>
        </template>
        <v-btn v-else class="act" :disabled="busy || !picked.length" @click="asking = asking ? '' : 'shelve'">
          shelve…
        </v-btn>
      </template>
    </div>
    <form
      v-if="asking && picked.length"
      ref="aside"
      class="why panel"
      @submit.prevent="say('shelve', picked)"
    >
      <label>why <DenseField v-model="why" size="40" maxlength="200" required /></label>
      <label>for <DenseField v-model.number="minutes" type="number" min="1" max="10080" /> min</label>
      <v-btn class="act main" type="submit">shelve {{ picked.length }}</v-btn>
      <v-btn class="act" :disabled="!why" @click="say('take out of service', picked)">
        take out of service
      </v-btn>
    </form>
    <div class="work">
      <p v-if="untold > 0" class="flood" role="status">
        ▲ {{ plant.alarmCount.all }} alarms are open, {{ plant.alarmCount.waiting }} wait: the
        {{ plant.alarms.length }} most urgent are here; the others follow as these are dealt with
      </p>
      <table v-if="shown.length" class="ledger open">
        <thead>
          <tr>
            <th></th>
            <th>state</th>
            <th>point</th>
            <th>alarm</th>
            <th class="right">at</th>
            <th>priority</th>
            <th>since</th>
            <th>what to do</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="a in shown.slice(0, rows)"
            :key="keyOf(a)"
            :class="[shapeOf(a).tone, { on: chosen.has(keyOf(a)) }]"
            tabindex="0"
            @click="pick(a, $event)"
            @dblclick="open(a)"
            @keydown.space.prevent="pick(a)"
            @keydown.enter="open(a)"
          >
            <td class="sign" aria-hidden="true">{{ shapeOf(a).sign }}</td>
            <td>{{ a.state }}</td>
            <td>
              <template v-if="rackOf(a)">
                <router-link class="tag" :to="`/cabinets?rack=${rackOf(a)}`" @click.stop>{{
                  rackName(a.point)
                }}</router-link>
                <span class="quiet service"
                  >{{ pointsOf(rackOf(a)).all }}
                  {{ pointsOf(rackOf(a)).all === 1 ? 'point' : 'points' }}</span
                >
              </template>
              <template v-else>
                <router-link class="figure tag" :to="`/now/${a.point}`" @click.stop>{{
                  cell(a.point, 'tag')
                }}</router-link>
                <span class="quiet service">{{ cell(a.point, 'service') }}</span>
              </template>
            </td>
            <td>
              {{ alarmName(a) }} <span class="quiet figure">{{ limit(a) }}</span>
            </td>
            <td class="figure right">{{ value(a) }}</td>
            <td>{{ a.priority }}</td>
            <td v-tip="clock(a.since)" class="figure">{{ since(a.raised ?? a.since) }}</td>
            <td class="does">
              <template v-if="a.why"
                >{{ a.who }}: {{ a.why
                }}<template v-if="a.until">, until {{ clock(a.until) }}</template></template
              >
              <template v-else-if="rackOf(a)"
                >none of its points can be read: {{ pointsOf(rackOf(a)).some
                }}{{
                  pointsOf(rackOf(a)).all > MOST_NAMED
                    ? ` and ${pointsOf(rackOf(a)).all - MOST_NAMED} more`
                    : ''
                }}</template
              >
              <template v-else>{{ cell(a.point, 'alarm_says') }}</template>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="query && shows in groups" class="empty">
        no alarm here has “{{ query }}” in its tag, service, area, priority or state
      </p>
      <p v-else-if="shows === 'waiting'" class="empty">nothing waits for anybody</p>
      <p v-else-if="shows === 'all'" class="empty">
        no alarm stands: every limit is kept, every signal is sound
      </p>
      <p v-else-if="shows === 'aside'" class="empty">
        nothing is shelved, suppressed by design or out of service
      </p>

      <AlarmJournal v-if="shows === 'journal'" />
      <AlarmHabits v-if="shows === 'often'" />
      <v-btn v-if="shown.length > rows" class="act" @click="rows += MOST_ROWS">
        {{ shown.length - rows }} more
      </v-btn>
    </div>
  </section>
</template>

<style scoped src="../parts/live/alarmTable.css"></style>

<style scoped>
.alarms {
  display: flex;
  flex-direction: column;
  height: 100%;
}

.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  padding: 6px 14px;
}

.gap {
  flex: 1;
}

.why {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 10px;
  margin: 0 14px 6px;
  padding: 6px 10px;
}

.why input:not([type='number']) {
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: none;
  color: inherit;
  font: inherit;
}

.work {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 0 14px 14px;
}

tr.on td {
  background: rgb(var(--v-theme-copper-wash));
}

.sign {
  width: 22px;
  color: rgb(var(--v-theme-bad));
}

tr.bad td:first-child {
  background: rgb(var(--v-theme-bad));
  color: rgb(var(--v-theme-surface));
}

tr.aside td {
  color: rgb(var(--v-theme-quiet));
}

tr.aside .sign {
  color: inherit;
}

.service {
  margin-left: 8px;
}

.does {
  max-width: 320px;
}

.find {
  width: 150px;
  padding: 2px 10px;
}

/* On a phone each alarm is a card: its point and value, below what it is and since when, below what to do. */
@media (max-width: 700px) {
  .open,
  .open tbody {
    display: grid;
    gap: 6px;
    min-width: 0;
    background: none;
  }

  .open thead {
    display: none;
  }

  .open tr {
    display: grid;
    grid-template:
      'sign point value' 'sign alarm state' 'sign priority since' 'sign does does' / 26px minmax(0, 1fr)
      auto;
    column-gap: 8px;
    background: rgb(var(--v-theme-surface));
  }

  .open td {
    padding: 3px 6px 3px 0;
    border: 0;
    text-align: left;
    white-space: normal;
  }

  .open .sign {
    padding: 6px;
  }

  .open td:nth-child(1) {
    grid-area: sign;
  }

  .open td:nth-child(2) {
    grid-area: state;
  }

  .open td:nth-child(3) {
    grid-area: point;
  }

  .open td:nth-child(4) {
    grid-area: alarm;
  }

  .open td:nth-child(5) {
    grid-area: value;
  }

  .open td:nth-child(6) {
    grid-area: priority;
  }

  .open td:nth-child(7) {
    grid-area: since;
  }

  .open td:nth-child(8) {
    grid-area: does;
  }
}

.flood {
  margin: 0 0 8px;
  color: rgb(var(--v-theme-settle));
}
</style>
