<script setup lang="ts">
/**
 * The bar on top of every page: where one is, find, and what concerns everybody: findings, alarms, what is held, racks
 * that are lost, who else is here, oneself.
 */
import { computed, nextTick, ref, watch } from 'vue'
import { useEventListener } from '@vueuse/core'
import { useRoute } from 'vue-router'
import LostRacks from '../parts/LostRacks.vue'
import { toSettle } from '../plant/findings'
import { usePlant } from '../plant/store'
import { useSearch } from '../plant/useSearch'
import { pressed, useBar } from './bar'
import HitList from './HitList.vue'
import { pageOf, placeOf } from './places'
import { nextRegion } from './regions'
import { seek } from './seek'
import { isTyping } from '../kit/typing'

const plant = usePlant()
const bar = useBar()
const route = useRoute()
const { findRows } = useSearch()
const input = ref<{ focus: () => void } | null>(null)
const box = ref<HTMLElement | null>(null)
const list = ref<InstanceType<typeof HitList> | null>(null)
const open = ref(false)

const place = computed(() => placeOf(route.name))
const page = computed(() => pageOf(route.name))
// What concerns the plant as a whole names no point, and stands in Findings.
const settling = computed(
  () => [...plant.findings.values()].filter((f) => f.cells.length && toSettle(f)).length,
)
const total = computed(() => (plant.list.version, plant.list.length))
const others = computed(() => [...plant.people.values()].filter((person) => person.point !== null))
const names = computed(() => [...new Set(others.value.map((person) => person.who))])
const where = computed(() =>
  others.value
    .map(
      (p) =>
        `${p.who} is on ${plant.list.text('tag', plant.list.row(p.point ?? -1) ?? -1) || 'another page'}`,
    )
    .join('\n'),
)
const hits = computed(() => (open.value ? seek(bar.query, plant, (query) => findRows(query)) : []))

watch(
  () => bar.wanted,
  () => nextTick(() => input.value?.focus()),
)
watch(
  () => bar.query,
  (text) => (open.value = !bar.filters && text.trim() !== ''),
)
watch(
  () => route.name,
  () => (open.value = false),
)

function key(event: KeyboardEvent) {
  if (!bar.filters && open.value && list.value?.key(event)) return
  if (event.key === 'Enter' && bar.filters) bar.enter?.()
  if (event.key === 'Escape') open.value = false
}

function picked() {
  open.value = false
  bar.query = ''
}

useEventListener('keydown', (event: KeyboardEvent) => {
  if (event.key.toLowerCase() === 'k' && (event.ctrlKey || event.metaKey)) {
    event.preventDefault()
    bar.palette = true
  } else if (event.key === 'F6' && !event.ctrlKey && !event.altKey) {
    event.preventDefault()
    nextRegion(event.shiftKey)
  } else if (event.key === '/' && !event.ctrlKey && !event.altKey && !event.defaultPrevented) {
    if (isTyping(event.target)) return
    event.preventDefault()
    bar.focus()
  }
})
// Before the field that has the focus: with Alt nothing is typed.
useEventListener(
  'keydown',
  (event: KeyboardEvent) => {
    const command = pressed(event, bar.commands)
    if (!command) return
    event.preventDefault()
    void command.run()
  },
  { capture: true },
)
useEventListener('pointerdown', (event: PointerEvent) => {
  if (!box.value?.contains(event.target as Node)) open.value = false
})
</script>

<template>
  <header class="topbar">
    <span class="here">
      <span class="quiet plant">{{ plant.plant?.name }}</span>
      <template v-if="place && place.pages.length > 1">
        <v-tabs :model-value="page?.name" class="tabs" :aria-label="place.says" hide-slider height="44">
          <v-tab
            v-for="tab in place.pages"
            :key="tab.name"
            :to="tab.to"
            :value="tab.name"
            class="tab"
            :class="{ on: tab.name === page?.name }"
            :aria-current="tab.name === route.name ? 'page' : undefined"
            >{{ tab.says
            }}<span v-if="tab.name === 'alarms' && plant.alarmCount.waiting" class="figure n bad">{{
              plant.alarmCount.waiting
            }}</span
            ><span v-if="tab.name === 'temporary' && plant.temporary.length" class="figure n apart">{{
              plant.temporary.length
            }}</span></v-tab
          >
        </v-tabs>
      </template>
      <b v-else class="title">{{ page?.says }}</b>
    </span>
    <span ref="box" class="seeking" role="search">
      <v-text-field
        ref="input"
        v-model="bar.query"
        class="find"
        type="search"
        :placeholder="bar.filters ? '/  kiln 2 signal:tc has:finding' : '/  find'"
        aria-label="find"
        autocomplete="off"
        @keydown="key"
      />
      <v-card v-if="open" class="found"><HitList ref="list" :hits="hits" @picked="picked" /></v-card>
    </span>
    <span v-if="bar.shown !== null" class="chip" :class="{ on: bar.shown !== total }">{{
      bar.shown === total ? `${total} points` : `${bar.shown} of ${total} points`
    }}</span>
    <span v-for="note in bar.notes" :key="note" class="chip quiet">{{ note }}</span>
    <v-btn
      v-if="bar.filters && settling"
      v-tip="bar.onlyFindings ? 'show all points again' : 'show only points with something to settle'"
      class="chip settle"
      :aria-pressed="bar.onlyFindings"
      @click="bar.onlyFindings = !bar.onlyFindings"
    >
      <span aria-hidden="true">▲</span> {{ settling }} to settle{{ bar.onlyFindings ? ' · only these' : '' }}
    </v-btn>
    <router-link v-if="bar.more" :to="bar.more.to" class="chip" :class="{ settle: bar.more.settle }"
      ><span v-if="bar.more.settle" aria-hidden="true">▲</span> {{ bar.more.says }}</router-link
    >
    <span class="gap" />
    <router-link v-if="plant.holding.length" to="/temporary" class="chip apart"
      >◇ {{ plant.holding.length }} held: not from the field</router-link
    >
    <LostRacks />
    <span v-if="!plant.linkUp" class="chip bad" role="status"
      ><span aria-hidden="true">■</span> server lost, trying again</span
    >
    <span v-if="plant.held.length" class="chip apart" role="status">
      ◇ {{ plant.held.length }} typed cell{{ plant.held.length === 1 ? ' waits' : 's wait' }} here
      <v-btn class="link" :disabled="!plant.linkUp" @click="plant.sendHeld()">send</v-btn>
      <v-btn class="link" @click="plant.dropHeld()">drop</v-btn>
    </span>
    <span v-if="others.length" v-tip="where" class="chip others"
      >here too: {{ names.slice(0, 3).join(', ') }}{{ names.length > 3 ? ` +${names.length - 3}` : '' }}</span
    >
    <v-btn
      v-tip="'everything one can do here: Ctrl+K'"
      class="chip do"
      aria-label="what one can do"
      @click="bar.palette = true"
      >Ctrl K</v-btn
    >
    <a
      v-tip="'the guide, at what this page is about'"
      class="chip help"
      :href="`/guide#${page?.guide ?? ''}`"
      target="_blank"
      aria-label="the guide to this page"
      >?</a
    >
    <router-link v-tip="`signed in as ${plant.session?.role}`" to="/account" class="chip who">{{
      plant.session?.account
    }}</router-link>
  </header>
</template>

<style scoped>
.here {
  display: flex;
  align-items: center;
  gap: 12px;
  white-space: nowrap;
}

.tabs {
  flex: 0 1 auto;
  min-width: 0;
}

.tab {
  height: 44px;
  margin-right: 14px;
  border-bottom: 3px solid transparent;
  border-top: 3px solid transparent;
  text-transform: none;
}

.tab.on {
  border-bottom-color: rgb(var(--v-theme-copper));
  font-weight: 600;
}

.n {
  margin-left: 5px;
  padding: 0 5px;
  border: 1px solid currentcolor;
  border-radius: 2px;
  font-size: 11px;
}

.n.bad {
  color: rgb(var(--v-theme-bad));
}

.n.apart {
  border-style: dashed;
  color: rgb(var(--v-theme-apart));
}

.seeking {
  position: relative;
  flex: 0 1 300px;
  min-width: 90px;
}

.found {
  position: absolute;
  top: calc(100% + 4px);
  left: 0;
  z-index: 20;
  width: 460px;
  max-width: 90vw;
}

.link {
  text-decoration: underline;
}

.help {
  min-width: 24px;
  justify-content: center;
}

@media (max-width: 1100px) {
  .plant,
  .do {
    display: none;
  }
}

@media (max-width: 760px) {
  .topbar {
    gap: 6px;
    padding: 0 8px;
    overflow-x: auto;
  }

  .tab {
    margin-right: 10px;
  }

  .who,
  .others,
  .title {
    display: none;
  }
}
</style>
