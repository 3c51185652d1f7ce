<script setup lang="ts">
/** A value now: figure, unit, and how far it can be trusted; stale is grey italic with its age. */
import { computed, watchEffect } from 'vue'
import { nowOf } from '../plant/now'
import { usePlant } from '../plant/store'
import { age } from '../plant/words'

const props = defineProps<{ point: number }>()
const plant = usePlant()

const rack = computed(
  () => (void plant.list.version, plant.list.racks[plant.list.row(props.point) ?? -1] ?? 0),
)
// Of a large plant only the racks in sight are told.
watchEffect(() => void (rack.value && plant.watch([rack.value])))

const shown = computed(() => {
  void plant.live.versionOf(rack.value)
  void plant.list.version
  const now = nowOf(plant, props.point)
  const text = `${now.text} ${now.unit}`.trim()
  return { ...now, text: now.stale ? `${text} · ${age(now.seconds)}` : text }
})
</script>

<template>
  <span v-tip="shown.title" class="now figure" :class="shown.kind"
    ><span v-if="shown.mark" class="mark" aria-hidden="true">{{ shown.mark }}</span
    >{{ shown.text }}</span
  >
</template>

<style scoped>
.now {
  white-space: nowrap;
}

.mark {
  margin-right: 4px;
}

.doubtful {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
  font-weight: 600;
}

.injected {
  color: rgb(var(--v-theme-apart));
  border-bottom: 1px dashed rgb(var(--v-theme-apart));
}

.none,
.stale {
  color: rgb(var(--v-theme-quiet));
}

.stale {
  font-style: italic;
}
</style>
