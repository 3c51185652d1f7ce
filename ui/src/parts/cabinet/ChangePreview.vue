<script setup lang="ts">
/** What a change of hardware would move, before it is accepted. */
import { computed, nextTick, ref, watch } from 'vue'
import type { Schemas } from '../../api/client'
import { focusOn, type Focusable } from '../../kit/focus'

const props = defineProps<{
  title: string
  shown: Schemas['HardwareOut'] | null
  says: string
  busy: boolean
}>()
const emit = defineEmits<{ accept: []; drop: [] }>()
const button = ref<Focusable | null>(null)
const quiet = computed(
  () =>
    props.shown &&
    !props.shown.renumbered_count &&
    !props.shown.freed.length &&
    !props.shown.moved_count &&
    !props.shown.opened.length,
)
watch(
  () => props.shown,
  (now) => now && void nextTick(() => focusOn(button.value)),
)
</script>

<template>
  <section class="panel side preview" aria-live="polite">
    <h2>{{ title }}</h2>
    <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    <p v-else-if="!shown" class="quiet">looking what it would move…</p>
    <template v-else>
      <p v-if="quiet">no address changes, and no value moves</p>
      <p v-if="shown.freed.length" class="settle">
        ▲ {{ shown.freed.length }}
        {{ shown.freed.length === 1 ? 'point loses its' : 'points lose their' }} channel and wait for another:
        {{ shown.freed.slice(0, 12).join(', ') }}{{ shown.freed.length > 12 ? ' …' : '' }}
      </p>
      <template v-if="shown.renumbered_count">
        <h3>
          {{ shown.renumbered_count }}
          {{ shown.renumbered_count === 1 ? 'address changes' : 'addresses change' }}
        </h3>
        <table>
          <tbody>
            <tr v-for="r in shown.renumbered.slice(0, 60)" :key="r.point">
              <td class="figure">{{ r.tag }}</td>
              <td class="figure">
                {{ r.was === r.becomes ? r.was : `${r.was} → ${r.becomes}` }}
                <span v-if="r.register_was !== r.register_now" class="quiet small">
                  registers from {{ r.register_was }} → {{ r.register_now }}</span
                >
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="shown.renumbered_count > 60" class="quiet small">
          and {{ shown.renumbered_count - 60 }} more
        </p>
      </template>
      <template v-if="shown.moved_count">
        <h3>{{ shown.moved_count }} {{ shown.moved_count === 1 ? 'value moves' : 'values move' }}</h3>
        <p v-for="m in shown.moved.slice(0, 40)" :key="m.point" class="small settle">
          <span class="figure">{{ m.tag }}</span> at {{ m.at }}: {{ m.was }} → {{ m.becomes }}
        </p>
        <p v-if="shown.moved_count > 40" class="quiet small">and {{ shown.moved_count - 40 }} more</p>
      </template>
      <p v-for="text in shown.opened.slice(0, 12)" :key="text" class="small settle">▲ {{ text }}</p>
      <p v-if="shown.closed" class="small quiet">{{ shown.closed }} findings are settled by it</p>
    </template>
    <p class="keys">
      <v-btn ref="button" class="act main" :disabled="!shown || busy" @click="emit('accept')"> accept </v-btn>
      <v-btn class="act" @click="emit('drop')">put it back</v-btn>
    </p>
  </section>
</template>

<style scoped>
.preview {
  padding: 10px 12px;
  overflow: auto;
}

table {
  font-size: 11px;
}

td {
  white-space: nowrap;
}

td .small {
  display: block;
  font-size: 11px;
}

td {
  padding: 1px 8px 1px 0;
  vertical-align: top;
}

.keys {
  position: sticky;
  bottom: 0;
  display: flex;
  gap: 8px;
  padding-top: 6px;
  background: rgb(var(--v-theme-surface));
}
</style>
