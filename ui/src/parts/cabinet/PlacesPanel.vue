<script setup lang="ts">
/** Places proposed for points that wait, accepted row by row. */
import { ref } from 'vue'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'

defineProps<{ places: Schemas['PlaceOut'][] }>()
const emit = defineEmits<{ land: [place: Schemas['PlaceOut']]; leave: [] }>()
const plant = usePlant()
const done = ref(new Set<number>())
const tag = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)

function land(place: Schemas['PlaceOut']) {
  done.value = new Set([...done.value, place.point])
  emit('land', place)
}
</script>

<template>
  <section class="panel side">
    <h2>places for what waits</h2>
    <p class="quiet small">
      what fits, the plant’s spares kept, points that stand in for each other on different modules. nothing is
      landed until you say so.
    </p>
    <p v-if="!places.length" role="status" class="quiet">nothing waits, or it is still being worked out</p>
    <div v-for="p in places" :key="p.point" class="row">
      <span class="figure">{{ tag(p.point) }}</span>
      <template v-if="p.address">
        <span class="figure">{{ p.address }}</span>
        <v-btn class="act" :disabled="done.has(p.point)" @click="land(p)">
          {{ done.has(p.point) ? 'landed' : 'land' }}
        </v-btn>
        <span class="quiet small"
          >terminals {{ p.terminals.join(' / ') }}, {{ p.mode
          }}{{ p.reads ? `, half reads ${p.reads}` : '' }} · {{ p.says }}</span
        >
      </template>
      <span v-else class="settle small">▲ nowhere: {{ p.says }}</span>
    </div>
    <v-btn class="act" @click="emit('leave')">that is all</v-btn>
  </section>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 72px 1fr auto;
  gap: 0 8px;
  align-items: baseline;
  margin-bottom: 6px;
  padding-bottom: 4px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  font-size: 12px;
}

.row .small {
  grid-column: 1 / 4;
}
</style>
