<script setup lang="ts">
/** Modules for a rack, several at once: chosen, put in their order, looked at as one change, accepted once. */
import { computed, ref, watch } from 'vue'
import type { Schemas } from '../../api/client'
import type { Operation } from '../../plant/useHardware'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ rack: Schemas['RackIn']; types: Schemas['TypeOut'][] }>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]] }>()
const chosen = ref('')
const several = ref('1')
const wanted = ref<string[]>([])
const titled = (key: string) => props.types.find((t) => t.key === key)?.title ?? key
const channels = computed(() =>
  wanted.value.reduce((sum, key) => sum + (props.types.find((t) => t.key === key)?.channels ?? 0), 0),
)
const MOST = 64
// What has come in is not proposed again.
watch(
  () => props.rack.modules.length,
  (now, before) => now > before && (wanted.value = []),
)

function choose(key: string) {
  const many = Math.min(Math.max(Math.trunc(Number(several.value)) || 1, 1), MOST - wanted.value.length)
  wanted.value.push(...Array.from({ length: many }, () => key))
  several.value = '1'
  chosen.value = ''
}

function move(at: number, by: number) {
  const to = at + by
  if (to < 0 || to >= wanted.value.length) return
  const [one] = wanted.value.splice(at, 1)
  wanted.value.splice(to, 0, one!)
}

function key(event: KeyboardEvent, at: number) {
  const by = { ArrowUp: -1, ArrowDown: 1 }[event.key]
  if (by && event.altKey) {
    event.preventDefault()
    const to = Math.min(Math.max(at + by, 0), wanted.value.length - 1)
    const list = (event.currentTarget as HTMLElement).parentElement
    move(at, by)
    requestAnimationFrame(() => (list?.children[to] as HTMLElement | undefined)?.focus())
  } else if (event.key === 'Delete') wanted.value.splice(at, 1)
}

/** They come behind what is there; what ends the bus goes last. */
function propose() {
  const title = wanted.value.length === 1 ? 'a module into the rack' : `${wanted.value.length} modules into the rack` // prettier-ignore
  const operations = wanted.value.map((type) => ({ do: 'add module', rack: props.rack.rack, type }))
  emit('propose', title, operations)
}
</script>

<template>
  <section class="build" aria-label="modules for this rack">
    <div class="small">
      add modules
      <span class="row">
        <DenseField
          v-model="several"
          class="figure few"
          type="number"
          min="1"
          :max="MOST"
          aria-label="how many"
        />
        ×
        <ChoiceField
          :model-value="chosen"
          aria-label="add modules"
          :items="[
            { value: '', title: '…' },
            ...types.map((t) => ({ value: t.key, title: `${t.title}: ${t.summary}` })),
          ]"
          @update:model-value="$event && choose(String($event))"
        />
      </span>
    </div>
    <template v-if="wanted.length">
      <ol aria-label="modules that come in, in their order">
        <li v-for="(type, i) in wanted" :key="i" tabindex="0" @keydown="key($event, i)">
          <span class="figure quiet">{{ rack.modules.length + i + 1 }}</span>
          <span class="title">{{ titled(type) }}</span>
          <v-btn class="act" :disabled="!i" :aria-label="`${titled(type)} further left`" @click="move(i, -1)"
            >↑</v-btn
          >
          <v-btn
            class="act"
            :disabled="i === wanted.length - 1"
            :aria-label="`${titled(type)} further right`"
            @click="move(i, 1)"
            >↓</v-btn
          >
          <v-btn class="act" :aria-label="`leave ${titled(type)} out`" @click="wanted.splice(i, 1)">×</v-btn>
        </li>
      </ol>
      <p class="keys">
        <v-btn class="act main" @click="propose">
          {{ wanted.length === 1 ? 'put it in' : `put ${wanted.length} in` }}, {{ channels }} channels
        </v-btn>
        <v-btn class="act" @click="wanted = []">none of them</v-btn>
      </p>
    </template>
  </section>
</template>

<style scoped>
section {
  margin-bottom: 6px;
}

.row {
  display: flex;
  gap: 4px;
  align-items: center;
  min-width: 0;
}

.row > :last-child {
  flex: 1;
  min-width: 0;
}

.few {
  width: 46px;
}

ol {
  margin: 4px 0;
  padding: 0;
  list-style: none;
  font-size: 12px;
}

li {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) auto auto auto;
  gap: 4px;
  align-items: center;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.title {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
