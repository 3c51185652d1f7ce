<script setup lang="ts">
/** The worst alarm of a point as a tag: shape and word for its state, letters for its kind, bars for its priority. */
import { computed } from 'vue'
import { usePlant } from '../../plant/store'
import { kindShort, shapeOf } from '../../plant/alarms'

const props = defineProps<{ point: number }>()
const plant = usePlant()
const worst = computed(() => {
  const all = plant.alarmsOf.get(props.point) ?? []
  return [...all].sort((a, b) => shapeOf(b).rank - shapeOf(a).rank)[0]
})
const shape = computed(() => (worst.value ? shapeOf(worst.value) : null))
</script>

<template>
  <span
    v-if="worst && shape"
    v-tip="`${kindShort(worst.kind)}: ${worst.state}`"
    class="tag"
    :class="shape.tone"
  >
    <span aria-hidden="true">{{ shape.sign }}</span> {{ kindShort(worst.kind) }} {{ shape.short }}
  </span>
</template>

<style scoped>
.tag {
  padding: 0 6px;
  border: 1px solid currentcolor;
  border-radius: 2px;
  font-size: 11px;
  line-height: 16px;
  white-space: nowrap;
}

.bad {
  background: rgb(var(--v-theme-bad));
  color: rgb(var(--v-theme-surface));
}

.seen {
  color: rgb(var(--v-theme-bad));
}

.over {
  border-style: dashed;
  color: rgb(var(--v-theme-bad));
}

.aside {
  color: rgb(var(--v-theme-quiet));
}
</style>
