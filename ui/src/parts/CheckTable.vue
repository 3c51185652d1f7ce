<script setup lang="ts">
/** Check points: what stands at each station, what the list shows and what is true. */
import type { Schemas } from '../api/client'

defineProps<{ sheet: Schemas['SheetOut'] }>()
</script>

<template>
  <section class="panel checks">
    <h3 class="quiet">check points</h3>
    <p v-if="!sheet.check_points.length" class="quiet">choose the signal of the device first</p>
    <table v-else class="figure">
      <thead>
        <tr>
          <th>{{ sheet.family === 'contact' ? 'when' : '%' }}</th>
          <th v-for="column in sheet.check_columns" :key="column">{{ column }}</th>
          <th v-if="sheet.family !== 'contact'">hex</th>
          <th>shows{{ sheet.value_unit ? ` ${sheet.value_unit}` : '' }}</th>
          <th v-if="sheet.family !== 'contact'">
            true{{ sheet.true_unit === sheet.value_unit ? '' : ` ${sheet.true_unit}` }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in sheet.check_points" :key="row.label" :class="{ wrong: row.wrong }">
          <th scope="row">{{ row.label }}</th>
          <td v-for="(text, i) in row.figures" :key="i">{{ text || '—' }}</td>
          <td v-if="sheet.family !== 'contact'">{{ row.hex.replace('0x', '') || '—' }}</td>
          <template v-if="row.quality === 'good' || (sheet.family === 'contact' && row.shows)">
            <td>{{ row.wrong ? '▲ ' : '' }}{{ row.shows || '—' }}</td>
            <td v-if="sheet.family !== 'contact'">{{ row.true }}</td>
          </template>
          <td
            v-else
            v-tip="row.reasons.join('; ')"
            :colspan="sheet.family === 'contact' ? 1 : 2"
            class="why"
            :class="row.quality"
          >
            {{ row.quality === 'bad' ? '■' : row.quality === 'doubtful' ? '▲' : '' }}
            {{ row.reasons[0] ?? row.shows }}
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.checks {
  padding: 7px 4px 4px 10px;
  overflow: auto;
}

h3 {
  margin: 0 0 4px;
  font-size: 12px;
  font-weight: 400;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 11px;
}

th,
td {
  padding: 1.5px 4px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  text-align: right;
  white-space: nowrap;
}

th:first-child {
  text-align: left;
}

thead th,
tbody th {
  color: rgb(var(--v-theme-quiet));
  font-weight: 400;
}

.wrong td {
  color: rgb(var(--v-theme-settle));
}

.why {
  font-family: var(--sans);
  white-space: normal;
}

.why.bad {
  color: rgb(var(--v-theme-bad));
}

.why.doubtful {
  color: rgb(var(--v-theme-settle));
}
</style>
