<script setup lang="ts">
/** What a way of settling findings would change, before it is done: cells, values that move, findings that come and go. */
import type { Looked } from '../plant/useFix'
import { mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import { asTyped } from '../plant/words'

const props = defineProps<{ looked: Looked; busy: boolean }>()
const emit = defineEmits<{ settle: []; leave: [] }>()
const plant = usePlant()
const MOST = 12
const name = (field: string) => {
  const found = plant.plant?.fields.find((f) => f.name === field)
  return found ? `${found.station.toLowerCase()} ${found.label}` : field
}
const tag = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)
const rest = (many: number) => (many > MOST ? ` and ${many - MOST} more` : '')
// A finding whose figures change is told anew: it does not come, it stays.
const comes = () => props.looked.does.opened.filter((f) => !plant.findings.has(f.key))
</script>

<template>
  <div class="preview" aria-live="polite">
    <p>
      would change
      <template v-for="(cell, i) in looked.does.cells.slice(0, MOST)" :key="cell.field + cell.point"
        >{{ i ? ', ' : '' }}{{ tag(cell.point) }} {{ name(cell.field) }}
        <span class="figure"
          >{{ asTyped(cell.was) || 'empty' }} → {{ asTyped(cell.becomes) || 'empty' }}</span
        ></template
      >{{ rest(looked.does.cells.length)
      }}<template v-for="move in looked.does.moved.slice(0, MOST)" :key="move.point">
        · {{ tag(move.point) }} at {{ move.at }}: the list shows
        <span class="figure">{{ move.was }} → {{ move.becomes }}</span></template
      >{{ rest(looked.does.moved_count || looked.does.moved.length) }} · settles {{ looked.does.closed.length
      }}<template v-if="comes().length">, raises {{ comes().length }}:</template>
    </p>
    <p v-for="finding in comes().slice(0, 4)" :key="finding.key" class="small settle">
      {{ mark(finding) }} {{ finding.text }}
    </p>
    <p class="ways">
      <v-btn class="act main" :disabled="busy" @click="emit('settle')">do it</v-btn>
      <v-btn class="act" @click="emit('leave')">leave it</v-btn>
    </p>
  </div>
</template>

<style scoped>
p {
  margin: 0 0 4px;
}

.ways {
  display: flex;
  gap: 6px;
}
</style>
