<script setup lang="ts">
/** In a bar: which racks give no readings now. What nobody reads raises no alarm either. */
import { computed } from 'vue'
import { lostRacks } from '../plant/now'
import { usePlant } from '../plant/store'

const plant = usePlant()
const MOST = 12
const lost = computed(() => (void plant.live.version, lostRacks(plant)))
const says = computed(() =>
  lost.value.length === 1
    ? `${lost.value[0]!.name} gives no readings`
    : `${lost.value.length} racks give no readings`,
)
const title = computed(() =>
  [
    ...lost.value.slice(0, MOST).map((rack) => `${rack.name}: ${rack.why}`),
    ...(lost.value.length > MOST ? [`and ${lost.value.length - MOST} more`] : []),
  ].join('\n'),
)
</script>

<template>
  <router-link v-if="lost.length" to="/live" class="chip bad" role="status" :title="title"
    ><span aria-hidden="true">■</span> {{ says }}</router-link
  >
</template>
