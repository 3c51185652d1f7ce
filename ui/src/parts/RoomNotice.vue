<script setup lang="ts">
/** Over every page as long as the disk is full: nothing can be saved, reading goes on. */
import { usePlant } from '../plant/store'

const plant = usePlant()
</script>

<template>
  <p v-if="plant.room.says" class="room" role="alert">
    <span aria-hidden="true">■</span> {{ plant.room.says }}. Nothing can be saved now; reading goes on. What
    to do: {{ plant.room.remedy }}.
  </p>
</template>

<style scoped>
.room {
  margin: 0;
  padding: 8px 16px;
  border-bottom: 1px solid rgb(var(--v-theme-bad));
  background: rgb(var(--v-theme-bad-wash));
  color: rgb(var(--v-theme-bad));
}
</style>
