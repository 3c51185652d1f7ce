<script setup lang="ts">
/** What becomes of each row of a file, kind by kind, cell by cell; rows and cells can be left out. */
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import { countOfKind, KINDS, LINES, type Kind } from './kinds'

const kind = defineModel<Kind>('kind', { required: true })
const start = defineModel<number>('start', { required: true })
defineProps<{ counts: Schemas['CountsOut']; lines: Schemas['LineOut'][]; count: number }>()
const emit = defineEmits<{ leave: [row: number]; ours: [row: number, field: string] }>()
const plant = usePlant()

const label = (name: string) => {
  const field = plant.plant?.fields.find((f) => f.name === name)
  return field ? `${field.station.toLowerCase()} ${field.label}` : name
}
</script>

<template>
  <div class="outcome">
    <nav class="kinds" aria-label="what it does">
      <v-btn
        v-for="[one, words] in KINDS"
        :key="one"
        class="chip"
        :class="{ on: kind === one, bad: one === 'wrong' && countOfKind(counts, one) }"
        :aria-pressed="kind === one"
        @click="((kind = one), (start = 0))"
      >
        {{ countOfKind(counts, one) }} {{ words }}
      </v-btn>
    </nav>
    <p v-if="!lines.length" class="quiet none">none</p>
    <table v-else class="lines">
      <tbody>
        <tr v-for="line in lines" :key="`${line.row} ${line.point}`">
          <td class="quiet figure">{{ line.row || '' }}</td>
          <td class="figure">
            <b>{{ line.tag || '–' }}</b>
          </td>
          <td>
            <span v-if="line.says" class="quiet">{{ line.says }}</span>
            <span v-for="[field, was, becomes] in line.cells" :key="field" class="cellchange">
              {{ label(field!) }}
              <span class="figure"
                ><s v-if="was" class="quiet">{{ was }}</s> {{ becomes || 'empty' }}</span
              >
              <v-btn
                v-if="kind === 'changed'"
                v-tip="`keep “${was}”`"
                class="mini"
                @click="emit('ours', line.row, field!)"
              >
                keep ours
              </v-btn>
            </span>
            <span v-for="[field, typed, why] in line.troubles" :key="`t${field}`" class="bad"
              >■ {{ label(field!) }} <span class="figure">{{ typed }}</span>: {{ why }}</span
            >
          </td>
          <td>
            <v-btn
              v-if="kind === 'changed' || kind === 'added'"
              class="mini"
              @click="emit('leave', line.row)"
            >
              leave out
            </v-btn>
            <v-btn v-else-if="line.by_choice" class="mini" @click="emit('leave', line.row)">
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

.lines td:nth-child(2),
.lines td:last-child {
  white-space: nowrap;
}

.cellchange {
  margin-right: 14px;
}

.none {
  padding: 20px 0;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
