<script setup lang="ts">
/** The face of the module a point is on: a lamp a channel, as they stand now. A lamp's shape says it, not its colour. */
import { computed } from 'vue'
import { nowOf } from '../../plant/now'
import { usePlant } from '../../plant/store'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const address = computed(
  () => (void plant.list.version, plant.list.text('channel', plant.list.row(props.point) ?? -1)),
)
const module = computed(() => address.value.slice(0, address.value.lastIndexOf('·') + 1))
/** Points of the module in the order of their channels, looked for among those of its rack. */
const channels = computed(() => {
  void plant.list.version
  if (!module.value) return []
  const out: { point: number; channel: number; tag: string }[] = []
  const rack = plant.list.racks[plant.list.row(props.point) ?? -1]
  plant.list.ids.forEach((point, row) => {
    if (plant.list.racks[row] !== rack) return
    const at = plant.list.text('channel', row)
    if (at.startsWith(module.value))
      out.push({ point, channel: Number(at.slice(module.value.length)), tag: plant.list.text('tag', row) })
  })
  return out.filter((c) => Number.isInteger(c.channel)).sort((a, b) => a.channel - b.channel)
})
const lamps = computed(() => {
  void plant.live.versionOf(plant.list.racks[plant.list.row(props.point) ?? -1] ?? 0)
  return channels.value.map((c) => {
    const now = nowOf(plant, c.point)
    const reading = now.reading
    const fault = reading?.quality === 'bad' || reading?.quality === 'none' || !reading
    const lit = (reading?.state ?? -1) === 1
    return {
      ...c,
      lamp: now.stale ? 'stale' : fault ? 'fault' : lit ? 'lit' : 'dark',
      says: `${c.tag}: ${now.text} ${now.unit}`,
    }
  })
})
</script>

<template>
  <p v-if="lamps.length" class="face" :aria-label="`lamps of the module ${module}`">
    <span class="quiet small">{{ module.slice(0, -1) }}</span>
    <router-link
      v-for="l in lamps"
      :key="l.point"
      v-tip="l.says"
      class="lamp"
      :class="[l.lamp, { mine: l.point === point }]"
      :to="`/now/${l.point}`"
      ><i aria-hidden="true" />{{ l.channel }}<span class="aside">{{ l.lamp }}</span></router-link
    >
  </p>
</template>

<style scoped>
.face {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 6px;
  margin: 4px 0;
}

.lamp {
  display: inline-flex;
  flex-direction: column;
  align-items: center;
  min-width: 18px;
  color: inherit;
  font-family: var(--mono);
  font-size: 10px;
  text-decoration: none;
}

/* A slit, as light guides are; lit is filled, a fault is a barred square. */
i {
  width: 8px;
  height: 14px;
  border: 1px solid rgb(var(--v-theme-ink));
  border-radius: 1px;
}

.lit i {
  background: rgb(var(--v-theme-copper));
}

.fault i {
  border: 2px solid rgb(var(--v-theme-bad));
  background: linear-gradient(
    to top right,
    transparent 44%,
    rgb(var(--v-theme-bad)) 44% 56%,
    transparent 56%
  );
}

.stale i {
  border-style: dashed;
}

.mine {
  outline: 1px solid rgb(var(--v-theme-copper));
  outline-offset: 2px;
}

.aside {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
