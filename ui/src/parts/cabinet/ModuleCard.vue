<script setup lang="ts">
/** One module as it sits: its head is the handle it is moved by, its channels are seats for points. */
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { mark } from '../../plant/findings'
import { usePlant } from '../../plant/store'
import LiveCell from '../LiveCell.vue'

type Channel = Schemas['ChannelOut']
const props = defineProps<{
  module: Schemas['ModuleOut']
  place: number
  held: number
  fit: Schemas['FitOut'] | undefined
  chosen: boolean
  /** Little room: number and tag alone. */
  dense?: boolean
}>()
const emit = defineEmits<{ take: [channel: Channel]; hold: [point: number]; choose: [] }>()
const plant = usePlant()
const passive = computed(() => !props.module.channels.length)

const text = (point: number, field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point) ?? -1)
)

/** How a channel stands to the point that is held. */
function stands(channel: Channel): string {
  if (!props.held) return channel.point ? 'taken' : channel.wired ? 'free wired' : 'free'
  if (channel.point === props.held) return 'here'
  if (!props.fit || props.fit.level === 'refused') return 'shut'
  // Channels of one module need not be alike.
  if (props.fit.channels?.length && !props.fit.channels.includes(channel.channel)) return 'shut'
  return channel.point ? 'taken shut' : props.fit.level
}

/** What is wrong with the point on it, the worst first. */
const faultOf = (channel: Channel) => (channel.point ? plant.findingsOf.get(channel.point)?.[0] : undefined)
const tipOf = (channel: Channel) =>
  [
    `${channel.address} · ${channel.direct} · ${channel.register_at} · terminals ${channel.terminals.join(' ')}`,
    faultOf(channel)?.text,
  ].filter(Boolean).join('\n') // prettier-ignore
const can = (channel: Channel) => ['fits', 'warns'].includes(stands(channel))
const unused = (channel: Channel) => channel.remark || (channel.wired ? 'wired spare' : 'free')
</script>

<template>
  <section
    class="module"
    :class="[{ chosen, passive, tight: dense }, held ? fit?.level : '']"
    :aria-label="module.slot ? `slot ${module.slot}, ${module.title}` : module.title"
    :data-module="module.module"
  >
    <button
      v-tip="
        `${module.summary}${passive ? '' : `; first register ${module.first_register}`}; place ${place + 1}, Alt and arrows move it`
      "
      type="button"
      class="head"
      :data-place="place"
      @click="emit('choose')"
    >
      {{ module.slot ? `${module.slot} · ` : '' }}{{ module.label || module.title }}
      <span class="quiet small">{{ module.label ? module.title : module.summary }}</span>
      <span v-if="!passive" class="quiet small count"
        >{{ module.count.used }} of {{ module.count.channels }} used{{
          module.count.wired ? `, ${module.count.wired} wired spare` : ''
        }}</span
      >
      <span v-if="module.loads.some((load) => load.over)" class="settle small">▲ over its supply</span>
    </button>
    <div v-for="channel in module.channels" :key="channel.channel" class="channel">
      <button
        v-tip="tipOf(channel)"
        type="button"
        class="seat"
        :class="stands(channel)"
        :disabled="held ? !can(channel) : !channel.point"
        :data-slot="place"
        :data-channel="channel.channel"
        @click="emit('take', channel)"
      >
        <span class="quiet marks">{{ channel.terminals[0] }}</span>
        <span class="figure tag"
          >{{ channel.point ? text(channel.point, 'tag') : unused(channel)
          }}<span
            v-if="faultOf(channel)"
            v-tip="faultOf(channel)!.text"
            class="flag"
            :class="faultOf(channel)!.severity"
            >{{ mark(faultOf(channel)!) }}</span
          ></span
        >
        <LiveCell v-if="channel.point && !held" :point="channel.point" />
      </button>
      <button
        v-if="channel.point && !held && plant.may('edit')"
        type="button"
        class="move"
        :aria-label="`move ${text(channel.point, 'tag')}`"
        @click="emit('hold', channel.point)"
      >
        move
      </button>
    </div>
    <p v-if="held && fit?.level === 'refused'" class="why small">
      {{ fit.reasons.join('; ') }}
      <span v-if="fit.remedies.length" class="quiet">· would need: {{ fit.remedies.join('; ') }}</span>
    </p>
    <p v-else-if="held && fit?.level === 'warns'" class="why small settle">▲ {{ fit.reasons.join('; ') }}</p>
  </section>
</template>

<style scoped>
.module {
  flex: none;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: 3px;
  background: rgb(var(--v-theme-surface));
  contain: layout paint;
}

.module.passive {
  background: rgb(var(--v-theme-bar));
}

.module.fits,
.module.warns {
  border-color: rgb(var(--v-theme-copper));
}

.module.chosen {
  outline: 2px solid rgb(var(--v-theme-ink));
}

.head {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  width: 100%;
  min-height: 92px;
  padding: 5px 8px;
  border: 0;
  background: rgb(var(--v-theme-band));
  color: inherit;
  font-weight: 600;
  font-size: 12px;
  text-align: left;
  cursor: grab;
  touch-action: none;
}

.passive .head {
  background: none;
}

.head .small {
  display: block;
  font-size: 10.5px;
  font-weight: 400;
  line-height: 1.25;
}

.head .count {
  margin-top: auto;
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

.head:focus-visible,
.seat:focus-visible {
  outline: 2px solid rgb(var(--v-theme-copper));
  outline-offset: -2px;
}

.seat > :nth-child(3) {
  grid-column: 2;
  font-size: 11px;
}

.flag {
  margin-left: 5px;
}

.flag.bad {
  color: rgb(var(--v-theme-bad));
}

.flag.settle {
  color: rgb(var(--v-theme-settle));
}

.seat.free,
.seat.shut {
  color: rgb(var(--v-theme-quiet));
}

.seat.free {
  background: repeating-linear-gradient(135deg, transparent 0 5px, rgb(var(--v-theme-line)) 5px 6px);
}

.seat.wired {
  border-left: 4px double rgb(var(--v-theme-quiet));
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

.tight .head {
  min-height: 58px;
  padding: 4px 4px;
  font-size: 11px;
}

.tight .head .small:not(.count, .settle) {
  display: none;
}

.tight .seat {
  grid-template-columns: 15px minmax(0, 1fr);
  gap: 0 2px;
  padding: 2px 3px;
  font-size: 10.5px;
}

.tight .seat .tag {
  overflow: hidden;
  letter-spacing: -0.03em;
  white-space: nowrap;
}

.tight .seat > :nth-child(3) {
  grid-column: 1 / 3;
  overflow: hidden;
  font-size: 10px;
}

.why {
  margin: 0;
  padding: 6px 8px;
}
</style>
