<script setup lang="ts">
/** A rack on its rail. Modules are moved by their heads, with the pointer or with Alt and arrows; the new order is
 * shown here at once and accepted elsewhere. Only modules in view are made. */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { useElementSize } from '@vueuse/core'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import ModuleCard from './ModuleCard.vue'
import { dropPlace, movedOrder } from './order'

type Module = Schemas['ModuleOut']
const props = defineProps<{
  rack: Schemas['RackIn']
  order: number[] | null
  held: number
  fits: ReadonlyMap<number, Schemas['FitOut']>
  chosen: number
}>()
const emit = defineEmits<{
  order: [order: number[]]
  take: [module: Module, channel: Schemas['ChannelOut']]
  hold: [point: number]
  choose: [module: number]
  rack: []
}>()
const plant = usePlant()
const box = ref<HTMLElement | null>(null)
const GAP = 5
const modules = computed(() => {
  if (!props.order) return props.rack.modules
  const known = new Map(props.rack.modules.map((m) => [m.module, m]))
  // The slots they would have, counted anew: what takes none has none.
  let slot = 0
  return props.order.flatMap((number) => {
    const module = known.get(number)
    return module ? [{ ...module, slot: module.slot ? ++slot : 0 }] : []
  })
})
const WIDE = 134
/** As wide as a module becomes where there is room. */
const WIDEST = 176
const NARROW = 74
const PASSIVE = 84
const PASSIVE_NARROW = 60
/** Below this a seat shows its number and tag alone, in a smaller face. */
const DENSE = 110
const { width: room } = useElementSize(box)
/** All modules of a rack at once if they can be read so; else as they are, and the rail is moved. */
const seat = computed(() => {
  const all = modules.value
  const taking = all.filter((m) => m.channels.length).length
  if (!taking || !room.value) return WIDE
  const each = Math.floor((room.value - (all.length - taking) * PASSIVE_NARROW) / taking) - GAP
  return each < NARROW ? WIDE : Math.min(WIDEST, each)
})
const dense = computed(() => seat.value < DENSE)
const width = (module: Module) =>
  module.channels.length ? seat.value : dense.value ? PASSIVE_NARROW - GAP : PASSIVE
const virtual = useVirtualizer(
  computed(() => ({
    count: modules.value.length,
    horizontal: true,
    getScrollElement: () => box.value,
    estimateSize: (i: number) => width(modules.value[i]!) + GAP,
    getItemKey: (i: number) => modules.value[i]!.module,
    overscan: 2,
    initialRect: { width: 1200, height: 400 },
  })),
)
// What was put in is looked at: one more module than before comes into view.
watch(
  () => props.rack.modules.map((m) => m.module),
  (now, before) => {
    const added = now.findIndex((module) => !before.includes(module))
    if (now.length === before.length + 1 && added >= 0)
      void nextTick(() => virtual.value.scrollToIndex(added, { align: 'end' }))
  },
)
watch(seat, () => virtual.value.measure())
const height = computed(
  () =>
    (props.held ? 190 : 110) +
    Math.max(2, ...props.rack.modules.map((m) => m.channels.length)) * (props.held ? 27 : 43),
)

// The drag itself never touches Vue: one element moves, one mark shows the place; a frame costs a style.
const mark = ref<HTMLElement | null>(null)
let drag: { from: number; x: number; edges: number[]; element: HTMLElement; to: number; frame: number; now: number; live: boolean } | null = null // prettier-ignore

function down(event: PointerEvent) {
  const head = (event.target as HTMLElement).closest<HTMLElement>('.head')
  if (!head || event.button !== 0 || props.held || !plant.may('engineer')) return
  const from = Number(head.dataset.place)
  let edge = 0
  const edges = modules.value.map((m) => (edge += width(m) + GAP) - (width(m) + GAP) / 2)
  drag = { from, x: event.clientX, edges, element: head.closest<HTMLElement>('.place')!, to: from, frame: 0, now: event.clientX, live: false } // prettier-ignore
  addEventListener('pointermove', moving)
  addEventListener('pointerup', up, { once: true })
  addEventListener('pointercancel', away, { once: true })
}

function moving(event: PointerEvent) {
  if (!drag) return
  drag.now = event.clientX
  if (!drag.live && Math.abs(drag.now - drag.x) < 6) return
  drag.live = true
  drag.frame ||= requestAnimationFrame(draw)
}

function draw() {
  if (!drag || !mark.value) return
  drag.frame = 0
  const by = drag.now - drag.x
  drag.to = dropPlace(drag.edges, width(modules.value[drag.from]!), drag.from, by)
  drag.element.style.translate = `${by}px 0`
  drag.element.style.zIndex = '3'
  const before = drag.to > drag.from ? drag.to + 1 : drag.to
  const left = before === 0 ? 0 : drag.edges[before - 1]! + (width(modules.value[before - 1]!) + GAP) / 2
  mark.value.style.transform = `translateX(${left}px)`
  mark.value.style.visibility = drag.to === drag.from ? 'hidden' : 'visible'
}

function away() {
  if (!drag) return
  cancelAnimationFrame(drag.frame)
  drag.element.style.cssText = drag.element.style.cssText.replace(/(translate|z-index|opacity):[^;]*;?/g, '')
  if (mark.value) mark.value.style.visibility = 'hidden'
  removeEventListener('pointermove', moving)
  drag = null
}

function up() {
  const now = drag
  if (!now) return
  away()
  if (!now.live) return
  // The click that ends a drag is none.
  const swallow = (event: Event) => event.stopPropagation()
  addEventListener('click', swallow, { capture: true, once: true })
  setTimeout(() => removeEventListener('click', swallow, { capture: true }), 0)
  if (now.to !== now.from) emit('order', movedOrder(modules.value.map((m) => m.module), now.from, now.to)) // prettier-ignore
}

async function key(event: KeyboardEvent) {
  const head = (event.target as HTMLElement).closest<HTMLElement>('.head')
  if (!head || !['ArrowLeft', 'ArrowRight'].includes(event.key)) return
  const from = Number(head.dataset.place)
  const to = from + (event.key === 'ArrowLeft' ? -1 : 1)
  if (to < 0 || to >= modules.value.length) return
  event.preventDefault()
  event.stopPropagation()
  if (event.altKey && plant.may('engineer') && !props.held)
    emit('order', movedOrder(modules.value.map((m) => m.module), from, to)) // prettier-ignore
  virtual.value.scrollToIndex(to)
  await nextTick()
  requestAnimationFrame(() => box.value?.querySelector<HTMLElement>(`.head[data-place="${to}"]`)?.focus())
}
onBeforeUnmount(away)
</script>

<template>
  <section class="rack" :aria-label="`rack ${rack.name}`">
    <h2>
      <v-btn class="name" @click="emit('rack')">rack {{ rack.name }}</v-btn>
      <span class="quiet small"
        >{{
          rack.modules.length === 1 ? 'one module' : `${rack.modules.length} modules in the order they sit`
        }}
        ·
        {{ rack.by_name ? `${rack.link} at ${rack.address}` : `${rack.address}, unit ${rack.unit}` }}
        {{ rack.stand_in ? '· stand-in' : '' }}</span
      >
      <span v-if="rack.departs" class="settle small"> ▲ the plant’s rule gives {{ rack.departs }}</span>
      <span v-if="rack.loads.some((l) => l.over)" class="settle small"> ▲ its supply is overloaded</span>
    </h2>
    <div class="rail" aria-hidden="true"></div>
    <div ref="box" class="slots" @pointerdown="down" @keydown="key">
      <div class="run" :style="{ width: `${virtual.getTotalSize()}px`, minHeight: `${height}px` }">
        <div
          v-for="item in virtual.getVirtualItems()"
          :key="String(item.key)"
          class="place"
          :style="{ left: `${item.start}px` }"
        >
          <ModuleCard
            :module="modules[item.index]!"
            :place="item.index"
            :dense="dense"
            :style="{ width: `${width(modules[item.index]!)}px` }"
            :held="held"
            :fit="fits.get(modules[item.index]!.module)"
            :chosen="chosen === modules[item.index]!.module"
            @take="emit('take', modules[item.index]!, $event)"
            @hold="emit('hold', $event)"
            @choose="emit('choose', modules[item.index]!.module)"
          />
        </div>
        <div ref="mark" class="mark" aria-hidden="true"></div>
      </div>
      <p v-if="!modules.length" class="quiet">an empty rail: choose the rack, then add a module</p>
    </div>
    <div class="rail foot" aria-hidden="true"></div>
  </section>
</template>

<style scoped>
.rack {
  margin-bottom: 18px;
}

h2 {
  margin: 0 0 4px;
  font-size: 13px;
}

h2 .small {
  font-weight: 400;
}

.name {
  margin-right: 8px;
  border: 0;
  border-bottom: 1px dotted rgb(var(--v-theme-quiet));
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.rail {
  height: 14px;
  border-bottom: 6px solid rgb(var(--v-theme-duct));
  background: repeating-linear-gradient(90deg, rgb(var(--v-theme-tooth)) 0 14px, transparent 14px 20px);
}

.rail.foot {
  border-top: 6px solid rgb(var(--v-theme-duct));
  border-bottom: 0;
}

.slots {
  padding: 8px;
  overflow: auto hidden;
  background: rgb(var(--v-theme-band));
}

.run {
  position: relative;
}

.place {
  position: absolute;
  top: 0;
}

.mark {
  position: absolute;
  top: 0;
  left: -4px;
  width: 3px;
  height: 100%;
  background: rgb(var(--v-theme-copper));
  visibility: hidden;
}
</style>
