<script setup lang="ts">
/** What a column shows: its texts with how often each stands there, to leave out or to show alone; a range for figures. */
import { computed, nextTick, onMounted, ref } from 'vue'
import type { Schemas } from '../../api/client'
import DenseField from '../../kit/DenseField.vue'
import type { FieldHandle } from '../../kit/focus'
import { MOST_TEXTS, asks, none, shows, turned, type Filter, type Value } from '../../plant/filters'
import { figureOf } from '../../plant/order'

const props = defineProps<{
  field: Schemas['FieldOut']
  filter?: Filter
  values: Value[]
  target: HTMLElement
}>()
const emit = defineEmits<{ filter: [filter: Filter]; shut: [] }>()
const ROW_PX = 26
const MOST_ROWS = 10

const sought = ref('')
const first = ref<FieldHandle | null>(null)
const now = computed(() => props.filter ?? none(props.field.name))
const found = computed(() => {
  const key = sought.value.trim().toLowerCase()
  return key ? props.values.filter(({ text }) => (text || 'empty').toLowerCase().includes(key)) : props.values
})
const figures = computed(() => props.values.some(({ text }) => !Number.isNaN(figureOf(text))))

onMounted(() => void nextTick(() => first.value?.focus()))

function onlyFound() {
  if (sought.value.trim())
    emit('filter', { ...now.value, only: found.value.slice(0, MOST_TEXTS).map((v) => v.text), but: [] })
}
function key(event: KeyboardEvent) {
  if (event.key !== 'Escape') return
  event.stopPropagation()
  emit('shut')
}
</script>

<template>
  <v-menu
    :model-value="true"
    :target="target"
    :close-on-content-click="false"
    location="bottom start"
    @update:model-value="emit('shut')"
  >
    <section class="panel filter" role="dialog" :aria-label="`filter by ${field.label}`" @keydown="key">
      <DenseField
        ref="first"
        v-model="sought"
        :placeholder="`find in ${values.length} texts, Enter shows them alone`"
        aria-label="find a text"
        @keydown.enter.prevent="onlyFound"
      />
      <p v-if="figures" class="range small">
        from
        <DenseField
          :model-value="now.low"
          class="figure"
          aria-label="from"
          @change="emit('filter', { ...now, low: ($event.target as HTMLInputElement).value })"
        />
        to
        <DenseField
          :model-value="now.high"
          class="figure"
          aria-label="to"
          @change="emit('filter', { ...now, high: ($event.target as HTMLInputElement).value })"
        />
        <span v-if="field.unit" class="quiet">{{ field.unit }}</span>
      </p>
      <v-virtual-scroll
        :items="found"
        :item-height="ROW_PX"
        :height="Math.min(MOST_ROWS, Math.max(1, found.length)) * ROW_PX"
        role="group"
        :aria-label="`texts of ${field.label}`"
      >
        <template #default="{ item }">
          <div class="value">
            <v-checkbox-btn
              :model-value="shows(now, item.text)"
              :aria-label="item.text || 'empty'"
              @update:model-value="emit('filter', turned(now, item.text))"
            />
            <v-btn
              v-tip="`${item.text || 'the empty cells'}: this alone`"
              class="text"
              @click="emit('filter', { ...now, only: [item.text], but: [] })"
            >
              <span :class="{ quiet: !item.text }">{{ item.text || 'empty' }}</span>
            </v-btn>
            <span class="figure small quiet">{{ item.count }}</span>
          </div>
        </template>
      </v-virtual-scroll>
      <p v-if="!found.length" class="quiet small">no text here has “{{ sought }}”</p>
      <p class="keys">
        <v-btn class="act" :disabled="!asks(now)" @click="emit('filter', none(field.name))">show all</v-btn>
        <v-btn class="act" @click="emit('filter', { ...now, only: [], but: [] })">none</v-btn>
        <span class="gap" />
        <v-btn class="act" @click="emit('shut')">done</v-btn>
      </p>
    </section>
  </v-menu>
</template>

<style scoped>
.filter {
  display: grid;
  gap: 6px;
  width: 290px;
  padding: 8px;
  box-shadow: 0 3px 12px rgb(0 0 0 / 25%);
}

.range {
  display: flex;
  align-items: center;
  gap: 6px;
  margin: 0;
}

.range :deep(input) {
  width: 78px;
}

.value {
  display: flex;
  align-items: center;
  gap: 4px;
  height: 26px;
  padding-right: 8px;
}

.value > :first-child {
  flex: none;
}

.text {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  justify-content: start;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.keys {
  display: flex;
  gap: 6px;
  margin: 0;
}

.gap {
  flex: 1;
}
</style>
