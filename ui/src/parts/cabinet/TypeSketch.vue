<script setup lang="ts">
/** A module type before it is used: its terminals in their order, and a path through each mode. */
import type { Schemas } from '../../api/client'

defineProps<{ preview: Schemas['TypePreviewOut'] | null; title: string }>()
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
        {{ preview.registers }} input registers, {{ preview.settings }} settings registers
      </p>
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
