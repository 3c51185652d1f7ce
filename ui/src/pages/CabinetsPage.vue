<script setup lang="ts">
/** The cabinet as it stands: modules in the order they sit on the rail. Hold a point, and channels that take it light up. */
import { computed, nextTick, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import LiveCell from '../parts/LiveCell.vue'
import { usePlant } from '../plant/store'

type Channel = Schemas['ChannelOut']
type Module = Schemas['ModuleOut']
const plant = usePlant()
const route = useRoute()
const router = useRouter()
const cabinets = shallowRef<Schemas['CabinetOut'][]>([])
const fits = shallowRef(new Map<number, Schemas['FitOut']>())
const trouble = ref('')
const aimed = ref<{ module: Module; channel: Channel } | null>(null)
const held = computed(() => Number(route.query.hold ?? 0))
const text = (point: number, field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point) ?? -1)
)
const waiting = computed(() => {
  void plant.list.version
  const landed = new Set(cabinets.value.flatMap((c) => c.racks.flatMap((r) => r.modules.flatMap((m) => m.channels.map((ch) => ch.point))))) // prettier-ignore
  return plant.list.ids.filter((id) => !landed.has(id))
})

async function read() {
  const answer = await ask(api.GET('/api/cabinets'))
  if (answer.data) cabinets.value = answer.data.cabinets
  trouble.value = answer.problem?.title ?? ''
}

async function judge() {
  const point = held.value
  const next = new Map<number, Schemas['FitOut']>()
  if (point)
    for (const cabinet of cabinets.value)
      for (const rack of cabinet.racks) {
        const answer = await ask(
          api.GET('/api/points/{point}/fits/{rack}', { params: { path: { point, rack: rack.rack } } }),
        )
        if (point !== held.value) return
        for (const fit of answer.data?.fits ?? []) next.set(fit.module, fit)
      }
  fits.value = next
}

// Many changes at once are one look.
let soon: ReturnType<typeof setTimeout> | undefined
watch(
  () => plant.list.version,
  () => {
    clearTimeout(soon)
    soon = setTimeout(() => void read(), 40)
  },
)
watch([held, cabinets], () => void judge(), { immediate: true })
watch(cabinets, (now) => plant.watch(now.flatMap((c) => c.racks.map((r) => r.rack))))

function hold(point: number) {
  if (point && !plant.may('edit')) return plant.say('a reader may look, not change')
  aimed.value = null
  void router.replace({
    path: '/cabinets',
    query: point && point !== held.value ? { hold: String(point) } : {},
  })
}

async function take(module: Module, channel: Channel) {
  if (!held.value) {
    if (channel.point) void router.push(`/point/${channel.point}`)
    return
  }
  aimed.value = { module, channel }
  await nextTick(() => document.querySelector<HTMLElement>('.aim .main')?.focus())
}

async function land() {
  const at = aimed.value
  const fit = at && fits.value.get(at.module.module)
  if (!at || !fit) return
  const point = held.value
  const edits = [{ point, field: 'channel', was: text(point, 'channel'), text: at.channel.address }]
  if (fit.mode && fit.mode !== text(point, 'mode'))
    edits.push({ point, field: 'mode', was: text(point, 'mode'), text: fit.mode })
  // Counts typed for another module's span mean nothing here: empty, they follow signal and module.
  const home = cabinets.value.flatMap((c) => c.racks.flatMap((r) => r.modules)).find((m) => m.channels.some((ch) => ch.point === point)) // prettier-ignore
  if (home?.title !== at.module.title)
    for (const field of ['counts_low', 'counts_high'])
      if (text(point, field)) edits.push({ point, field, was: text(point, field), text: '' })
  await plant.save(edits)
  hold(0)
  await read()
}

/** How a channel stands to the point that is held. */
function stands(module: Module, channel: Channel): string {
  if (!held.value) return channel.point ? 'taken' : 'free'
  if (channel.point === held.value) return 'here'
  const fit = fits.value.get(module.module)
  if (!fit || fit.level === 'refused') return 'shut'
  return channel.point && channel.point !== held.value ? 'taken shut' : fit.level
}

const can = (module: Module, channel: Channel) => ['fits', 'warns'].includes(stands(module, channel))

function key(event: KeyboardEvent) {
  const at = event.target as HTMLElement
  if (event.key === 'Escape') {
    if (aimed.value) aimed.value = null
    else if (held.value) hold(0)
  } else if (at.dataset.slot !== undefined) {
    const [slot, n] = [Number(at.dataset.slot), Number(at.dataset.channel)]
    const to = { ArrowDown: [slot, n + 1], ArrowUp: [slot, n - 1], ArrowRight: [slot + 1, n], ArrowLeft: [slot - 1, n] }[event.key] // prettier-ignore
    if (!to) return
    event.preventDefault()
    const rack = at.closest('.rack')
    const column = rack?.querySelectorAll<HTMLElement>(`[data-slot="${to[0]}"]`)
    if (column?.length) column[Math.min(Math.max(to[1]!, 0), column.length - 1)]!.focus()
  }
}

onMounted(() => {
  void read()
  addEventListener('keydown', key)
})
onUnmounted(() => removeEventListener('keydown', key))
</script>

<template>
  <section class="cabinets">
    <aside>
      <h2>waiting for a channel ({{ waiting.length }})</h2>
      <button
        v-for="point in waiting.slice(0, 60)"
        :key="point"
        type="button"
        class="card"
        :class="{ on: point === held }"
        @click="hold(point)"
      >
        <span class="figure">{{ text(point, 'tag') }}</span> {{ text(point, 'service') }}
        <span class="quiet small">{{ text(point, 'signal') || 'no signal yet' }}</span>
      </button>
      <p v-if="waiting.length > 60" class="quiet small">and {{ waiting.length - 60 }} more</p>
      <p class="quiet small">
        Hold a point: channels that can take it light up, the others say why not. “move” on a landed one holds
        it as well.
      </p>
      <div v-if="held" class="aim panel">
        <h2>
          holding <span class="figure">{{ text(held, 'tag') }}</span>
        </h2>
        <p class="quiet small">
          {{ text(held, 'signal') }} {{ text(held, 'channel') ? `· now on ${text(held, 'channel')}` : '' }}
        </p>
        <template v-if="aimed">
          <p>
            if it lands on <span class="figure">{{ aimed.channel.address }}</span>, terminals
            {{ aimed.channel.terminals.join(' / ') }}:
          </p>
          <p v-if="fits.get(aimed.module.module)?.mode" class="small">
            mode {{ fits.get(aimed.module.module)?.mode
            }}<template v-if="fits.get(aimed.module.module)?.reads"
              >; half of its range reads {{ fits.get(aimed.module.module)?.reads }}</template
            >
          </p>
          <p v-for="why in fits.get(aimed.module.module)?.reasons" :key="why" class="settle small">
            ▲ {{ why }}
          </p>
          <button type="button" class="act main" @click="land">land it</button>
        </template>
        <button type="button" class="act" @click="hold(0)">put it down</button>
      </div>
    </aside>
    <div class="work">
      <p v-if="trouble" class="bad">■ {{ trouble }}</p>
      <p v-else-if="!cabinets.length" class="quiet">no cabinet yet: a project file brings them (Handover)</p>
      <article v-for="cabinet in cabinets" :key="cabinet.cabinet">
        <h1>
          <span class="figure">{{ cabinet.name }}</span> {{ cabinet.title }}
          <span class="quiet small"
            >{{ cabinet.channels }} channels, {{ cabinet.free }} free ({{
              Math.round((cabinet.free / Math.max(1, cabinet.channels)) * 100)
            }}
            %; {{ Math.round(cabinet.spare_wanted * 100) }} % wanted)</span
          >
        </h1>
        <section v-for="rack in cabinet.racks" :key="rack.rack" class="rack">
          <h2>
            rack {{ rack.name }}
            <span class="quiet small"
              >{{ rack.modules.length }} modules in the order they sit · {{ rack.address }}</span
            >
          </h2>
          <div class="rail" aria-hidden="true"></div>
          <div class="slots">
            <section
              v-for="(module, s) in rack.modules"
              :key="module.module"
              class="module"
              :class="held ? fits.get(module.module)?.level : ''"
              :aria-label="`slot ${module.slot}, ${module.title}`"
            >
              <h3 :title="`${module.summary}; first register ${module.first_register}`">
                {{ module.slot }} · {{ module.title }}
                <span class="quiet small">{{ module.summary }}</span>
              </h3>
              <div v-for="channel in module.channels" :key="channel.channel" class="channel">
                <button
                  type="button"
                  class="seat"
                  :class="stands(module, channel)"
                  :disabled="held ? !can(module, channel) : !channel.point"
                  :data-slot="s"
                  :data-channel="channel.channel"
                  :title="channel.address"
                  :aria-label="`${channel.address}, terminals ${channel.terminals.join(' ')}, ${
                    channel.point ? text(channel.point, 'tag') : 'free'
                  }`"
                  @click="take(module, channel)"
                >
                  <span class="quiet marks">{{ channel.terminals[0] }}</span>
                  <span class="figure tag">{{ channel.point ? text(channel.point, 'tag') : 'free' }}</span>
                  <LiveCell
                    v-if="channel.point && !held"
                    :point="channel.point"
                    :row="plant.list.row(channel.point) ?? -1"
                  />
                </button>
                <button
                  v-if="channel.point && !held && plant.may('edit')"
                  type="button"
                  class="move"
                  :aria-label="`move ${text(channel.point, 'tag')}`"
                  @click="hold(channel.point)"
                >
                  move
                </button>
              </div>
              <p v-if="held && fits.get(module.module)?.level === 'refused'" class="why small">
                {{ fits.get(module.module)?.reasons.join('; ') }}
                <span v-if="fits.get(module.module)?.remedies.length" class="quiet"
                  >· would need: {{ fits.get(module.module)?.remedies.join('; ') }}</span
                >
              </p>
              <p v-else-if="held && fits.get(module.module)?.level === 'warns'" class="why small settle">
                ▲ {{ fits.get(module.module)?.reasons.join('; ') }}
              </p>
            </section>
          </div>
          <div class="rail foot" aria-hidden="true"></div>
        </section>
      </article>
    </div>
  </section>
</template>

<style scoped>
.cabinets {
  display: grid;
  grid-template-columns: 232px minmax(0, 1fr);
  height: 100%;
}

aside {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 12px;
  overflow: auto;
  background: rgb(var(--v-theme-bar));
}

h2 {
  margin: 0 0 4px;
  font-size: 13px;
}

.card {
  padding: 6px 10px;
  border: 1px solid rgb(var(--v-theme-line));
  border-left: 4px solid rgb(var(--v-theme-copper));
  border-radius: 2px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font-size: 12px;
  text-align: left;
}

.card .small {
  display: block;
}

.card.on {
  outline: 2px solid rgb(var(--v-theme-copper));
}

.aim {
  padding: 10px 12px;
}

.aim p {
  margin: 0 0 6px;
}

.act {
  margin: 2px 6px 0 0;
}

.work {
  padding: 12px 16px;
  overflow: auto;
}

h1 {
  margin: 0 0 8px;
  font-size: 17px;
}

.rack {
  margin-bottom: 18px;
}

.rail {
  height: 16px;
  border-bottom: 6px solid rgb(var(--v-theme-duct));
  background: repeating-linear-gradient(90deg, rgb(var(--v-theme-tooth)) 0 14px, transparent 14px 20px);
}

.rail.foot {
  border-top: 6px solid rgb(var(--v-theme-duct));
  border-bottom: 0;
}

.slots {
  display: flex;
  gap: 5px;
  padding: 8px;
  overflow-x: auto;
  background: rgb(var(--v-theme-band));
}

.module {
  flex: none;
  width: 152px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: 3px;
  background: rgb(var(--v-theme-surface));
}

.module.fits,
.module.warns {
  border-color: rgb(var(--v-theme-copper));
}

h3 {
  min-height: 82px;
  margin: 0;
  padding: 5px 8px;
  background: rgb(var(--v-theme-band));
  font-size: 12px;
}

h3 .small {
  display: block;
  font-size: 10.5px;
  font-weight: 400;
  line-height: 1.25;
}

.channel {
  position: relative;
}

.seat {
  display: grid;
  grid-template-columns: 20px 1fr;
  gap: 0 6px;
  width: 100%;
  min-height: 26px;
  padding: 2px 8px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: none;
  color: inherit;
  font-size: 12px;
  text-align: left;
}

.seat:focus-visible {
  outline: 2px solid rgb(var(--v-theme-copper));
  outline-offset: -2px;
}

.seat > :nth-child(3) {
  grid-column: 2;
  font-size: 11px;
}

.seat.free,
.seat.shut {
  color: rgb(var(--v-theme-quiet));
}

.seat.free {
  background: repeating-linear-gradient(135deg, transparent 0 5px, rgb(var(--v-theme-line)) 5px 6px);
}

.seat.fits,
.seat.warns {
  outline: 2px solid rgb(var(--v-theme-copper));
  outline-offset: -2px;
  background: rgb(var(--v-theme-copper-wash));
}

.seat.here {
  background: rgb(var(--v-theme-copper-wash));
}

.seat.warns {
  outline-style: dashed;
}

.move {
  position: absolute;
  top: 3px;
  right: 4px;
  padding: 0 5px;
  border: 1px solid rgb(var(--v-theme-line));
  border-radius: 2px;
  background: rgb(var(--v-theme-surface));
  color: rgb(var(--v-theme-copper));
  font-size: 10.5px;
  opacity: 0;
}

.channel:hover .move,
.move:focus-visible {
  opacity: 1;
}

.why {
  margin: 0;
  padding: 6px 8px;
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
