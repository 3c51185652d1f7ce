<script setup lang="ts">
/** The bar on top: find, what is filtered, how the server is, and whatever a page adds. */
import { computed, ref } from 'vue'
import { accepted } from '../plant/findings'
import { usePlant } from '../plant/store'
import LostRacks from './LostRacks.vue'

const query = defineModel<string>('query', { default: '' })
const onlyFindings = defineModel<boolean>('onlyFindings', { default: false })
withDefaults(defineProps<{ shown: number; notes?: string[] }>(), { notes: () => [] })
const emit = defineEmits<{ enter: [] }>()
const plant = usePlant()
const input = ref<HTMLInputElement | null>(null)
// What concerns the plant as a whole names no point, and stands in Findings.
const toSettle = computed(
  () =>
    [...plant.findings.values()].filter((f) => f.cells.length && !accepted(f) && f.severity !== 'note')
      .length,
)
const others = computed(() => [...plant.people.values()].filter((person) => person.point !== null))
const names = computed(() => [...new Set(others.value.map((person) => person.who))])
const total = computed(() => (plant.list.version, plant.list.length))
defineExpose({ focus: () => input.value?.focus() })
</script>

<template>
  <header class="topbar">
    <input
      ref="input"
      v-model="query"
      class="find"
      type="search"
      placeholder="/  kiln 2 signal:tc has:finding"
      aria-label="find"
      @keydown.enter="emit('enter')"
    />
    <span class="chip">{{ plant.plant?.name }}</span>
    <span class="chip" :class="{ on: shown !== total }">{{
      shown === total ? `${total} points` : `${shown} of ${total} points`
    }}</span>
    <span v-for="note in notes" :key="note" class="chip quiet">{{ note }}</span>
    <button
      v-if="toSettle"
      type="button"
      class="chip settle"
      :aria-pressed="onlyFindings"
      :title="onlyFindings ? 'show all points again' : 'show only points with something to settle'"
      @click="onlyFindings = !onlyFindings"
    >
      <span aria-hidden="true">▲</span> {{ toSettle }} to settle{{ onlyFindings ? ' · only these' : '' }}
    </button>
    <span class="gap" />
    <LostRacks />
    <span v-if="!plant.linkUp" class="chip bad"
      ><span aria-hidden="true">■</span> server lost, trying again</span
    >
    <span v-if="plant.held.length" class="chip apart">
      ◇ {{ plant.held.length }} typed cell{{ plant.held.length === 1 ? ' waits' : 's wait' }} here
      <button type="button" class="link" :disabled="!plant.linkUp" @click="plant.sendHeld()">send</button>
      <button type="button" class="link" @click="plant.dropHeld()">drop</button>
    </span>
    <span
      v-if="others.length"
      class="chip"
      :title="
        others
          .map(
            (p) =>
              `${p.who} is on ${plant.list.text('tag', plant.list.row(p.point ?? -1) ?? -1) || 'another page'}`,
          )
          .join('\n')
      "
      >here too: {{ names.slice(0, 3).join(', ') }}{{ names.length > 3 ? ` +${names.length - 3}` : '' }}</span
    >
    <slot />
    <span class="chip" :title="`signed in as ${plant.session?.role}`">{{ plant.session?.account }}</span>
  </header>
</template>

<style scoped>
.find {
  width: 300px;
}

.link {
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}
</style>
