<script setup lang="ts">
/** What the plant has agreed on, set once and obeyed everywhere. Each entry is saved at once and can be undone. */
import { useEventListener } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import CellEditor from '../grid/CellEditor.vue'
import SuppliesTable from '../parts/SuppliesTable.vue'
import { mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import { asTyped } from '../plant/words'
import { isTyping } from '../kit/typing'

const plant = usePlant()
const found = shallowRef<Schemas['ConventionOut'][]>([])
const trouble = ref('')
const editing = ref<{ name: string; text: string } | null>(null)
const refused = ref<{ name: string; says: string; text: string } | null>(null)
const renamed = shallowRef<Schemas['RenamedOut'][]>([])
const moved = shallowRef<Schemas['RenamedOut'][]>([])
const would = shallowRef<{ row: Schemas['ConventionOut']; text: string; does: Does } | null>(null)
const busy = ref(false)

type Does = Schemas['ConventionsChanged']
const GROUPS: [title: string, names: RegExp][] = [
  [
    'numbering and names',
    /^(channel_base|bit_base|tag_rule|tag_letters|address_rule|rack_networks|stand_ins)$/,
  ],
  [
    'findings and signatures',
    /^(severities|least_band_steps|least_deadband_steps|deadband_sigmas|second_signature|racks_looked_at)$/,
  ],
  ['the plant’s own supply', /supply_v|mains/],
  ['signals and failure', /^(namur\.|on_failure|filter|clamp|agreement|stale)/],
  ['cables, cabinet and air', /cable|ambient/],
  ['units and colours', /unit_system|colours/],
  ['spares', /^reserve\./],
  ['alarms, faults and trends', /^(faults_end|fault_|chatter|standing|never_came|trend_days|longest_force)/],
  ['tests and trims', /^(testing|trimming)\./],
  ['controller code', /^program\./],
]
const IN_A_TABLE = 'supplies'
/** Each stands once, in the first part that takes it; what no part takes has one of its own. */
const groups = computed(() => {
  const left = new Set(found.value.filter((c) => c.name !== IN_A_TABLE))
  const parts = [...GROUPS, ['more', /./] as const].map(([title, names]) => {
    const rows = [...left].filter((c) => names.test(c.name))
    for (const row of rows) left.delete(row)
    return { title, rows }
  })
  return parts.filter((part) => part.rows.length)
})
const supplies = computed(() => found.value.find((c) => c.name === IN_A_TABLE))

async function suppliesTyped(text: string) {
  editing.value = { name: IN_A_TABLE, text }
  await accept(supplies.value!)
}

async function read() {
  const answer = await ask(api.GET('/api/conventions'))
  if (answer.data) found.value = answer.data.conventions
  trouble.value = answer.problem ? answer.problem.title : ''
}
watch(() => plant.plant?.seq, () => void read(), { immediate: true }) // prettier-ignore

function edit(row: Schemas['ConventionOut']) {
  if (!plant.may('engineer')) return plant.say('an engineer changes the conventions; you may look')
  editing.value = { name: row.name, text: refused.value?.name === row.name ? refused.value.text : row.text }
}

async function accept(row: Schemas['ConventionOut']) {
  const now = editing.value
  if (!now || now.name !== row.name) return
  editing.value = null
  refused.value = null
  would.value = null
  if (now.text.trim() === row.text) return
  const does = await send(row, now.text, false)
  if (!does) return
  // What touches nothing but itself is done at once; the rest is looked at first.
  if (does.opened || does.altered || does.closed || does.values_count)
    would.value = { row, text: now.text, does }
  else await take(row, now.text)
}

async function send(row: Schemas['ConventionOut'], text: string, apply: boolean): Promise<Does | undefined> {
  busy.value = true
  const answer = await ask(
    api.POST('/api/conventions', {
      body: { edits: [{ name: row.name, was: row.text, text }], why: '', apply },
    }),
  )
  busy.value = false
  if (answer.problem) refused.value = { name: row.name, says: answer.problem.title, text }
  return answer.data
}

async function take(row: Schemas['ConventionOut'], text: string) {
  would.value = null
  const does = await send(row, text, true)
  if (does) {
    renamed.value = does.renamed
    moved.value = does.moved
  }
  await read()
}
const tag = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)

async function undo() {
  await plant.turnBack('undo')
  renamed.value = []
  moved.value = []
  await read()
}

function key(event: KeyboardEvent) {
  const typing = isTyping(event.target)
  if (!typing && (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault()
    void undo()
  }
}

useEventListener('keydown', key)
</script>

<template>
  <section class="conventions">
    <header>
      <h1>conventions of {{ plant.plant?.name }}</h1>
      <span class="quiet">set once, obeyed on every screen; a change is undone with Ctrl Z</span>
    </header>
    <p v-if="trouble" class="bad">■ {{ trouble }}</p>
    <ul v-if="moved.length" class="moved" role="status">
      <li v-for="m in moved" :key="m.point">
        ▲ <span class="figure">{{ plant.list.text('tag', plant.list.row(m.point) ?? -1) }}</span>
        {{ m.was }} → {{ m.becomes }}
      </li>
    </ul>
    <p v-if="renamed.length" class="chip settle" role="status">
      channels are labelled anew, nothing moves: {{ renamed[0]!.was }} is now {{ renamed[0]!.becomes
      }}{{ renamed.length > 1 ? ', and so on' : '' }}
    </p>
    <section v-if="would" class="panel would" role="status">
      <p>
        <b
          >{{ would.row.says }}: {{ asTyped(would.row.text) || 'none' }} →
          {{ asTyped(would.text) || 'none' }}</b
        >
        would raise {{ would.does.opened }} finding{{ would.does.opened === 1 ? '' : 's' }}, alter
        {{ would.does.altered }}, settle {{ would.does.closed }} and move
        {{ would.does.values_count }} value{{ would.does.values_count === 1 ? '' : 's' }}
      </p>
      <p v-for="m in would.does.moved.slice(0, 8)" :key="`level ${m.point}`" class="small">
        <span class="figure">{{ tag(m.point) }}</span> {{ m.was }} → {{ m.becomes }}
      </p>
      <p v-for="m in would.does.values.slice(0, 8)" :key="m.point" class="small">
        <span class="figure">{{ tag(m.point) }}</span> at {{ m.at }}: {{ m.was }} → {{ m.becomes }}
      </p>
      <p v-for="finding in would.does.findings.slice(0, 8)" :key="finding.key" class="small">
        {{ mark(finding) }}
        <span class="figure">{{ finding.cells[0] ? tag(finding.cells[0].point) : '' }}</span>
        {{ finding.text }}
      </p>
      <p v-if="would.does.opened + would.does.altered > 8" class="small quiet">
        and {{ would.does.opened + would.does.altered - 8 }} more findings
      </p>
      <p class="keys">
        <v-btn class="act main" :disabled="busy" @click="take(would.row, would.text)"> do it </v-btn>
        <v-btn class="act" @click="would = null">leave it</v-btn>
      </p>
    </section>
    <SuppliesTable v-if="supplies" @typed="suppliesTyped" />
    <p v-if="refused?.name === 'supplies'" class="bad small" role="alert">
      ■ {{ refused.says }} <v-btn class="act" @click="refused = null">I will mend it</v-btn>
    </p>
    <div class="groups">
      <section v-for="group in groups" :key="group.title" class="panel">
        <h2>{{ group.title }}</h2>
        <dl>
          <div v-for="row in group.rows" :key="row.name">
            <dt>{{ row.says }}</dt>
            <dd>
              <CellEditor
                v-if="editing?.name === row.name"
                v-model="editing.text"
                :offers="row.choices.map((text) => ({ text }))"
                :label="row.says"
                select-all
                @done="accept(row)"
                @leave="editing = null"
              />
              <v-btn
                class="figure setting"
                :class="{ refused: refused?.name === row.name }"
                @click="edit(row)"
              >
                {{ refused?.name === row.name ? refused.text : asTyped(row.text) || 'none' }}
              </v-btn>
              <p v-if="refused?.name === row.name" class="bad small" role="alert">
                ■ {{ refused.says }}
                <v-btn class="act" @click="refused = null">leave it as it was</v-btn>
              </p>
            </dd>
          </div>
        </dl>
      </section>
    </div>
  </section>
</template>

<style scoped>
.would {
  display: grid;
  gap: 4px;
  margin-bottom: 10px;
  padding: 10px 14px;
}

.would p {
  margin: 0;
}

.keys {
  display: flex;
  gap: 8px;
}

.moved {
  margin: 0 0 8px;
  padding: 0;
  color: rgb(var(--v-theme-settle));
  list-style: none;
}

.conventions {
  height: 100%;
  padding: 14px 20px;
  overflow: auto;
}

header {
  display: flex;
  gap: 14px;
  align-items: baseline;
}

h1 {
  margin: 0 0 10px;
  font-size: 18px;
}

h2 {
  margin: 0 0 6px;
  font-size: 13px;
}

.groups {
  columns: 2 440px;
  column-gap: 12px;
}

.panel {
  margin-bottom: 12px;
  padding: 10px 14px;
  break-inside: avoid;
}

dl {
  margin: 0;
}

dl > div {
  display: grid;
  grid-template-columns: minmax(0, 1.6fr) minmax(120px, 1fr);
  gap: 10px;
  align-items: center;
  padding: 3px 0;
  border-top: 1px solid rgb(var(--v-theme-line));
}

dd {
  position: relative;
  margin: 0;
}

.bad,
.setting.refused {
  color: rgb(var(--v-theme-bad));
}
</style>
