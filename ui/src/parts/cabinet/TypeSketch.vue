<script setup lang="ts">
/** A module type before it is used: its terminals in their order, and a path through each mode. */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'

const props = defineProps<{ preview: Schemas['TypePreviewOut'] | null; title: string }>()
/** The map, a part for each table. */
const parts = computed(() => {
  const out: { table: string; lines: Schemas['MapLineOut'][] }[] = []
  for (const line of props.preview?.map ?? []) {
    if (out.at(-1)?.table !== line.table) out.push({ table: line.table, lines: [] })
    out.at(-1)!.lines.push(line)
  }
  return out
})
</script>

<template>
  <section class="sketch" aria-live="polite">
    <p v-if="preview?.says" class="settle" role="status">▲ not a type yet: {{ preview.says }}</p>
    <template v-else-if="preview">
      <h3>{{ title || 'the module' }}: its terminals</h3>
      <div class="strip">
        <div
          v-for="c in preview.terminals"
          :key="c.channel"
          v-tip="`isolation group ${c.group + 1}, fuse ${c.fuse + 1}`"
          class="channel"
          :class="{ apart: c.group !== preview.terminals[c.channel - 1]?.group }"
        >
          <span class="quiet small">{{ c.channel + 1 }}</span>
          <span v-for="[mark, role] in c.terminals" :key="mark" class="screw"
            ><b class="figure">{{ mark }}</b> <span class="small">{{ role }}</span></span
          >
        </div>
      </div>
      <p class="quiet small">
        {{ preview.registers }} input registers, {{ preview.settings || 'no' }} settings register{{
          preview.settings === 1 ? '' : 's'
        }}
      </p>
      <details v-if="preview.map?.length" class="places" :open="preview.map.length < 41">
        <summary>its map, {{ preview.map.length }} lines</summary>
        <table>
          <tbody v-for="part in parts" :key="part.table">
            <tr>
              <th colspan="3" scope="rowgroup">{{ part.table }}</th>
            </tr>
            <tr v-for="(line, i) in part.lines" :key="i" v-tip="line.also">
              <td class="figure">
                {{ line.place }}<template v-if="line.count > 1"> +{{ line.count - 1 }}</template
                ><template v-if="line.bit >= 0">.{{ line.bit }}</template>
              </td>
              <td class="small">{{ line.channel >= 0 ? `channel ${line.channel + 1}` : '' }}</td>
              <td class="small">{{ line.says }}</td>
            </tr>
          </tbody>
        </table>
      </details>
      <template v-for="m in preview.modes" :key="m.mode">
        <h3>{{ m.mode }}</h3>
        <p v-if="!m.rows.length" class="quiet small">no device gives this</p>
        <table v-else>
          <tbody>
            <tr v-for="row in m.rows" :key="row[0]">
              <td v-for="(cell, i) in row" :key="i" class="figure">{{ cell }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="m.rows.length" class="quiet small">
          {{ m.signal }}: given, on the wires, at the input, counts
        </p>
      </template>
    </template>
  </section>
</template>

<style scoped>
h3 {
  margin: 8px 0 2px;
  font-size: 12px;
}

p {
  margin: 0 0 4px;
}

.places td,
.places th {
  text-align: left;
}

.strip {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 3px;
  max-height: 200px;
  overflow: auto;
}

.channel {
  display: grid;
  grid-template-columns: 18px 1fr;
  padding: 2px 5px;
  border: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-surface));
  font-size: 11px;
}

.channel.apart {
  border-left: 3px solid rgb(var(--v-theme-ink));
}

.screw {
  grid-column: 2;
}

table {
  width: 100%;
  font-size: 11px;
}

td {
  padding-right: 8px;
  text-align: right;
}
</style>
