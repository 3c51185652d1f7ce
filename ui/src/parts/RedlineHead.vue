<script setup lang="ts">
/** What stands over a redline on paper: which plant, what is compared, when and by whom it was printed, who signed what. */
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { clock } from '../plant/words'

const props = defineProps<{
  was: string
  becomes: string
  revisions: readonly Schemas['RevisionOut'][]
  printed: string
}>()
const plant = usePlant()
const rows = computed(() =>
  props.revisions.flatMap((one) => [
    { key: `${one.id}`, mark: one.mark, does: 'put up', name: one.who, at: one.at, hash: one.hash },
    ...one.signatures.map((s, k) => ({
      key: `${one.id}-${k}`,
      mark: one.mark,
      does: s.remark ? `${s.meaning}: ${s.remark}` : s.meaning,
      name: `${s.name} (${s.who})`,
      at: s.at,
      hash: s.hash,
    })),
  ]),
)
</script>

<template>
  <header class="redline">
    <h1>{{ plant.plant?.name }} · I/O list, redline</h1>
    <p>{{ was }} → {{ becomes }} · printed {{ printed }} by {{ plant.session?.account }}</p>
    <table class="small">
      <thead>
        <tr>
          <th>revision</th>
          <th>what</th>
          <th>who</th>
          <th>when</th>
          <th>content, signature (first of 64)</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.key">
          <td>{{ row.mark }}</td>
          <td>{{ row.does }}</td>
          <td>{{ row.name }}</td>
          <td>{{ clock(row.at) }}</td>
          <td class="figure">{{ row.hash.slice(0, 16) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="!rows.length">nothing of this is signed</p>
  </header>
</template>

<style scoped>
.redline {
  display: none;
}

h1 {
  margin: 0;
  font-size: 17px;
}

th,
td {
  padding: 1px 14px 1px 0;
  text-align: left;
}

@media print {
  .redline {
    display: block;
    margin-bottom: 12px;
  }
}
</style>
