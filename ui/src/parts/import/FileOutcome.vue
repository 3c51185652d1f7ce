<script setup lang="ts">
/** What becomes of each row of a file, kind by kind, cell by cell; rows and cells can be left out. */
import type { Schemas } from '../../api/client'
import { computed } from 'vue'
import { usePlant } from '../../plant/store'
import { countOfKind, KINDS, LINES, type Kind } from './kinds'

const kind = defineModel<Kind>('kind', { required: true })
const start = defineModel<number>('start', { required: true })
const props = defineProps<{
  counts: Schemas['CountsOut']
  lines: Schemas['LineOut'][]
  count: number
  /** Why cells were not taken, each reason once. */
  reasons: Schemas['FileReason'][]
  /** The names of the sheets, where the file has several lists. */
  sheets: string[]
  /** Codes of reasons that a question settles. */
  open: Set<string>
  targets: Schemas['TargetOut'][]
}>()
const emit = defineEmits<{
  leave: [line: Schemas['LineOut']]
  ours: [line: Schemas['LineOut'], field: string]
  join: [line: Schemas['LineOut']]
  renamed: [all: 'joined' | 'new']
}>()
const plant = usePlant()

const label = (name: string) => {
  const field = plant.plant?.fields.find((f) => f.name === name)
  if (field) return `${field.station.toLowerCase()} ${field.label}`
  return props.targets.find((one) => one.name === name)?.label ?? name
}
/** Whether all that was not taken waits for an answer: then it is open, not wrong. */
const onlyAsked = computed(() => props.reasons.length > 0 && props.reasons.every((one) => one.asked))
const place = (line: Schemas['LineOut']) =>
  line.row ? (props.sheets.length > 1 ? `${props.sheets[line.sheet]} ${line.row}` : String(line.row)) : ''
/** A new point's tag stands before its cells already. */
const cellsOf = (line: Schemas['LineOut']) =>
  line.cells.filter(([field]) => line.kind !== 'added' || field !== 'tag')
const shown = computed(() => KINDS.filter(([one]) => one !== 'renamed' || countOfKind(props.counts, one)))
</script>

<template>
  <div class="outcome">
    <nav class="kinds" aria-label="what it does">
      <v-btn
        v-for="[one, words] in shown"
        :key="one"
        class="chip"
        :class="{
          on: kind === one,
          settle: one === 'wrong' && countOfKind(counts, one) && onlyAsked,
          bad: one === 'wrong' && countOfKind(counts, one) && !onlyAsked,
        }"
        :aria-pressed="kind === one"
        @click="((kind = one), (start = 0))"
      >
        {{ countOfKind(counts, one) }} {{ words }}
      </v-btn>
    </nav>
    <p v-if="kind === 'renamed' && lines.length" class="keys small">
      <span>On the same channel with the same service, under another tag.</span>
      <v-btn class="act" @click="emit('renamed', 'joined')">they got these new tags</v-btn>
      <v-btn class="act" @click="emit('renamed', 'new')">they are new points</v-btn>
    </p>
    <ul v-if="kind === 'wrong' && reasons.length" class="reasons small">
      <li v-for="reason in reasons" :key="`${reason.code} ${reason.field}`">
        <b class="figure">{{ reason.cells }}</b> × {{ label(reason.field) }}: {{ reason.says }}
        <span v-if="reason.typed.length > 1" class="quiet figure">{{
          reason.typed.slice(1).join(' · ')
        }}</span>
      </li>
    </ul>
    <p v-if="!lines.length" class="quiet none">none</p>
    <table v-else class="lines">
      <tbody>
        <tr v-for="line in lines" :key="`${line.sheet} ${line.row} ${line.point}`">
          <td class="quiet figure">{{ place(line) }}</td>
          <td class="figure">
            <b>{{ line.tag || '–' }}</b>
          </td>
          <td>
            <span v-if="line.says" class="quiet">{{ line.says }}</span>
            <span v-for="[field, was, becomes] in cellsOf(line)" :key="field" class="cellchange">
              {{ label(field!) }}
              <span class="figure"
                ><s v-if="was" class="quiet">{{ was }}</s> {{ becomes || 'empty' }}</span
              >
              <v-btn
                v-if="kind === 'changed'"
                v-tip="`keep “${was}”`"
                class="mini"
                @click="emit('ours', line, field!)"
              >
                keep ours
              </v-btn>
            </span>
            <span
              v-for="[field, typed, why, code] in line.troubles"
              :key="`t${field}`"
              v-tip="why"
              :class="open.has(code!) ? 'settle' : 'bad'"
              >{{ open.has(code!) ? '▲' : '■' }} {{ label(field!) }}
              <span class="figure">{{ typed }}</span></span
            >
          </td>
          <td>
            <v-btn v-if="kind === 'changed' || kind === 'added'" class="mini" @click="emit('leave', line)">
              leave out
            </v-btn>
            <v-btn v-else-if="kind === 'renamed'" class="mini" @click="emit('join', line)"
              >it is renamed</v-btn
            >
            <v-btn v-else-if="line.by_choice" class="mini" @click="emit('leave', line)">
              take in after all
            </v-btn>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="count > LINES" class="keys">
      <v-btn class="act" :disabled="!start" @click="start -= LINES">before</v-btn>
      <span class="quiet">{{ start + 1 }} to {{ Math.min(start + LINES, count) }} of {{ count }}</span>
      <v-btn class="act" :disabled="start + LINES >= count" @click="start += LINES"> next </v-btn>
    </p>
  </div>
</template>

<style scoped>
.outcome {
  padding: 10px 14px;
  overflow: auto;
}

.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-bottom: 8px;
}

.lines {
  width: 100%;
  border-collapse: collapse;
  font-size: 12px;
}

.lines td {
  padding: 2px 8px 2px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  vertical-align: top;
}

.lines td:first-child,
.lines td:nth-child(2),
.lines td:last-child {
  white-space: nowrap;
}

.cellchange {
  margin-right: 14px;
}

.reasons {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}

.none {
  padding: 20px 0;
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
