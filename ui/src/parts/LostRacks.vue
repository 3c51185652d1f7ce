<script setup lang="ts">
/** In a bar: which racks give no readings now. What nobody reads raises no alarm either. */
import { computed } from 'vue'
import { byWhy, lostRacks } from '../plant/now'
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
  byWhy(lost.value, MOST)
    .map((group) => `${group.names}: ${group.why} · ${group.since}`)
    .join('\n'),
)
</script>

<template>
  <router-link v-if="lost.length" v-tip="title" to="/live" class="chip bad" role="status"
    ><span aria-hidden="true">■</span> {{ says }}</router-link
  >
</template>
