<script setup lang="ts">
/** Ways that were tried and are not offered, with the reason; and that some are still being tried. */
import type { WayLeft } from '../plant/useWays'

defineProps<{ left: readonly WayLeft[]; trying: boolean }>()
</script>

<template>
  <p v-if="trying" class="quiet small" aria-live="polite">trying what would settle it …</p>
  <p v-for="way in left" v-else :key="way.label" class="quiet small left">
    not offered: “{{ way.label }}”, {{ way.says }}
  </p>
</template>

<style scoped>
p {
  margin: 0 0 2px;
}
</style>
