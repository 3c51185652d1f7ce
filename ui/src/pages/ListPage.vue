<script setup lang="ts">
/** The I/O list: find on top, the grid, and at the foot what the selected cell is. */
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'
import GridView from '../grid/GridView.vue'
import CellStrip from '../parts/CellStrip.vue'
import TopBar from '../parts/TopBar.vue'
import { usePlant } from '../plant/store'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const query = ref(String(route.query.find ?? ''))
const onlyFindings = ref(route.query.only === 'findings')
const bar = ref<InstanceType<typeof TopBar> | null>(null)
const grid = ref<InstanceType<typeof GridView> | null>(null)
const chosen = ref<{ point: number; field: string; cells: number } | null>(null)
const rows = shallowRef<number[]>([])
const active = Number(route.query.at) || null
let noted: ReturnType<typeof setTimeout> | undefined

const fields = computed(() => (plant.plant?.fields ?? []).filter((f) => f.listed))
const narrowed = computed(() => {
  if (!onlyFindings.value) return undefined
  return new Set([...plant.findingsOf.keys()].map((point) => plant.list.row(point) ?? -1))
})

// Rows are found when asked, not at each change: a row that no longer fits stays until the next search.
watch([query, onlyFindings, () => plant.list.length], refind, { immediate: true })

function refind() {
  rows.value = plant.list.find(query.value, narrowed.value)
  clearTimeout(noted)
  const known = String(route.query.find ?? '') === query.value
  if (!known || (route.query.only === 'findings') !== onlyFindings.value) noted = setTimeout(note, 400)
}

/** Keep what is sought in the address, for a colleague and for the way back; not at every keystroke. */
function note() {
  const only = onlyFindings.value ? 'findings' : undefined
  void router.replace({ query: { ...route.query, find: query.value || undefined, only } })
}

async function open(point: number) {
  clearTimeout(noted)
  const only = onlyFindings.value ? 'findings' : undefined
  await router.replace({ query: { find: query.value || undefined, only, at: String(point) } })
  void router.push(`/point/${point}`)
}

function anywhere(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (event.key === '/' && !['INPUT', 'TEXTAREA'].includes(target.tagName)) {
    event.preventDefault()
    bar.value?.focus()
  }
}

// Noting the search must not call off a way to another place that is already being taken.
onBeforeRouteLeave(() => clearTimeout(noted))

onMounted(() => {
  addEventListener('keydown', anywhere)
  grid.value?.focus()
})
onUnmounted(() => {
  clearTimeout(noted)
  removeEventListener('keydown', anywhere)
})
</script>

<template>
  <section class="list">
    <TopBar
      ref="bar"
      v-model:query="query"
      v-model:only-findings="onlyFindings"
      :shown="rows.length"
      @enter="grid?.focus()"
    />
    <GridView
      ref="grid"
      class="grid"
      :rows="rows"
      :fields="fields"
      :active="active"
      @select="chosen = $event"
      @open="open"
      @find="bar?.focus()"
    >
      <template #empty>
        <template v-if="plant.list.length">
          No point has “{{ query }}”{{ onlyFindings ? ' and something to settle' : '' }}. Esc in the find
          field shows all again.
        </template>
        <template v-else>
          This plant has no points yet. On the server, <code>./canaleta demo --data DIR</code> loads Vallroja
          Tileworks into an empty folder.
        </template>
      </template>
    </GridView>
    <CellStrip v-if="chosen && rows.length" v-bind="chosen" />
  </section>
</template>

<style scoped>
.list {
  display: grid;
  grid-template-rows: 44px minmax(0, 1fr) auto;
  height: 100%;
}

.grid {
  margin: 10px 14px;
}
</style>
