<script setup lang="ts">
/** Over every page as long as the disk is full, or the database is away or waits for its standby: what can be done now. */
import { usePlant } from '../plant/store'

const plant = usePlant()
</script>

<template>
  <p v-if="plant.room.says" class="notice bad" role="alert">
    <span aria-hidden="true">■</span> {{ plant.room.says }}. Nothing can be saved now; reading goes on. What
    to do: {{ plant.room.remedy }}.
  </p>
  <p
    v-if="plant.standby.says"
    class="notice"
    :class="plant.standby.state === 'lags' ? 'settle' : 'bad'"
    role="alert"
  >
    <span aria-hidden="true">{{ plant.standby.state === 'lags' ? '▲' : '■' }}</span>
    {{ plant.standby.says }}. What to do: {{ plant.standby.remedy }}.
  </p>
</template>

<style scoped>
.notice {
  margin: 0;
  padding: 8px 16px;
  border-bottom: 1px solid currentcolor;
  background: rgb(var(--v-theme-bad-wash));
  color: rgb(var(--v-theme-bad));
}

.notice.settle {
  background: rgb(var(--v-theme-settle-wash));
  color: rgb(var(--v-theme-settle));
}
</style>
