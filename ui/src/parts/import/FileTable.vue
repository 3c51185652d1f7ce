<script setup lang="ts">
/** A list of a file as it stands there, with what each of its columns is taken for hung over its head. */
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import type { Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import { ROW, WHY } from './kinds'

const props = defineProps<{
  table: Schemas['FileList']
  targets: Schemas['TargetOut'][]
  /** The column that is asked about just now, by its key, and with which code. */
  asked: string
  code: string
}>()
const emit = defineEmits<{ take: [key: string, target: string] }>()

const editing = ref('')
const scroller = useTemplateRef('scroller')
const LEFT_OUT = 'left out'
const label = computed(() => new Map(props.targets.map((one) => [one.name, one.label])))
const items = computed(() => [
  { value: LEFT_OUT, title: 'left out' },
  ...props.targets.map((one) => ({ value: one.name, title: one.label })),
])
const out = computed(() => new Map(props.table.out.map((one) => [one.row, one.code])))
const doubts = computed(
  () => new Map(props.table.doubts.map((one) => [`${one.row} ${one.at}`, one.code] as const)),
)
const rows = computed(() =>
  props.table.top.map((cells, at) => {
    const number = props.table.first + at
    const [first, behind] = props.table.heads as [number, number]
    const kind = number >= first && number < behind ? 'head' : number < first ? 'above' : ''
    return { number: number + 1, cells, kind, out: out.value.get(number + 1) ?? '' }
  }),
)

function words(column: Schemas['ColumnOut']): string {
  if (column.why === 'asked') return '? ' + (column.target ? label.value.get(column.target) : 'asked')
  return column.target ? (label.value.get(column.target) ?? column.target) : '–'
}

async function edit(key: string) {
  editing.value = key
  await nextTick()
  scroller.value?.querySelector<HTMLInputElement>('.taken input')?.focus()
}

function chosen(key: string, target: string) {
  editing.value = ''
  emit('take', key, target)
}

/** What is asked about is brought into sight. */
watch(
  () => props.asked,
  async (key) => {
    await nextTick()
    if (key) scroller.value?.querySelector('th.asked')?.scrollIntoView({ block: 'nearest', inline: 'center' })
  },
)
</script>

<template>
  <div ref="scroller" class="file" tabindex="0" role="region" :aria-label="`the file, ${table.name}`">
    <table>
      <thead>
        <tr>
          <th class="gutter" scope="col"><span class="hidden">row</span></th>
          <th
            v-for="column in table.columns"
            :key="column.key"
            scope="col"
            :class="{ asked: column.key === asked }"
          >
            <span class="taken">
              <ChoiceField
                v-if="editing === column.key"
                :model-value="column.target || LEFT_OUT"
                :aria-label="`${column.heading} is`"
                :items="items"
                @update:model-value="chosen(column.key, $event)"
                @keydown.esc.stop="editing = ''"
              />
              <v-btn
                v-else
                v-tip="`${column.heading}: ${WHY[column.why] ?? ''}`"
                class="chip"
                :class="{
                  settle: column.why === 'asked',
                  none: !column.target && column.why !== 'asked',
                  said: column.why === 'answered',
                }"
                :aria-label="`${column.heading} is taken for ${column.target ? words(column) : column.why === 'asked' ? 'what is asked' : 'nothing'}; change`"
                @click="edit(column.key)"
              >
                {{ words(column) }}
              </v-btn>
            </span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.number" :class="[row.kind, { out: row.out }]">
          <td class="gutter figure">
            {{ row.number }}<small v-if="row.out"> {{ ROW[row.out] ?? row.out }}</small>
          </td>
          <td
            v-for="column in table.columns"
            :key="column.key"
            :class="{
              asked: column.key === asked && code === 'column',
              doubt: doubts.has(`${row.number} ${column.at}`),
              now: code !== 'column' && doubts.get(`${row.number} ${column.at}`) === code,
              leftout: row.kind !== 'head' && !column.target,
            }"
          >
            {{ row.cells[column.at] ?? '' }}
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.file {
  overflow: auto;
  background: rgb(var(--v-theme-surface));
}

table {
  border-collapse: separate;
  border-spacing: 0;
  font-size: 12px;
}

thead th {
  position: sticky;
  z-index: 2;
  top: 0;
  padding: 8px 6px 5px;
  border-bottom: 4px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-bar));
  text-align: left;
}

.taken {
  display: inline-block;
  min-width: 60px;
}

.chip.none {
  border-style: dotted;
  color: rgb(var(--v-theme-quiet));
}

.chip.said {
  border-color: rgb(var(--v-theme-copper));
}

td {
  max-width: 220px;
  height: 22px;
  padding: 1px 6px;
  overflow: hidden;
  border-right: 1px solid rgb(var(--v-theme-line));
  border-bottom: 1px solid rgb(var(--v-theme-line));
  text-overflow: ellipsis;
  white-space: nowrap;
}

.gutter {
  position: sticky;
  z-index: 1;
  left: 0;
  min-width: 44px;
  background: rgb(var(--v-theme-bar));
  color: rgb(var(--v-theme-quiet));
  text-align: right;
}

thead .gutter {
  z-index: 3;
}

.gutter small {
  margin-left: 6px;
  font-family: var(--sans, inherit);
}

tr.head td {
  font-weight: 600;
}

tr.head td:not(.gutter) {
  background: rgb(var(--v-theme-copper-wash));
}

tr.above td,
tr.out td,
td.leftout {
  color: rgb(var(--v-theme-quiet));
}

tr.out td:not(.gutter) {
  text-decoration: line-through;
}

th.asked,
td.asked {
  border-right: 2px solid rgb(var(--v-theme-settle));
  border-left: 2px solid rgb(var(--v-theme-settle));
}

td.doubt {
  color: rgb(var(--v-theme-settle));
  text-decoration: underline dotted;
}

td.asked,
td.now {
  background: rgb(var(--v-theme-settle-wash));
}
</style>
