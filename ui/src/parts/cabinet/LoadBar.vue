<script setup lang="ts">
/** A current against its rating: the figure first, the bar beside it; over is hatched and said. */
defineProps<{ load: { name: string; ma: number; rating_ma: number; over: boolean } }>()
</script>

<template>
  <p class="load" :class="{ over: load.over }">
    <span>{{ load.over ? '▲ ' : '' }}{{ load.name }}</span>
    <span class="figure"
      >{{ Math.round(load.ma) }}{{ load.rating_ma ? ` of ${Math.round(load.rating_ma)}` : '' }} mA</span
    >
    <span v-if="load.rating_ma" class="bar" aria-hidden="true"
      ><span :style="{ width: `${Math.min(100, (load.ma / load.rating_ma) * 100)}%` }"></span
    ></span>
  </p>
</template>

<style scoped>
.load {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
  margin: 0 0 5px;
  font-size: 12px;
}

.bar {
  grid-column: 1 / 3;
  height: 6px;
  border: 1px solid rgb(var(--v-theme-duct));
}

.bar span {
  display: block;
  height: 100%;
  background: rgb(var(--v-theme-quiet));
}

.over {
  color: rgb(var(--v-theme-settle));
}

.over .bar span {
  background: repeating-linear-gradient(
    135deg,
    rgb(var(--v-theme-settle)) 0 4px,
    rgb(var(--v-theme-settle-wash)) 4px 7px
  );
}
</style>
