<script setup lang="ts">
/** One part of a long form: what belongs together, under its name. */
defineProps<{ title: string }>()
</script>

<template>
  <fieldset class="part">
    <legend>{{ title }}</legend>
    <slot />
  </fieldset>
</template>

<style scoped>
.part {
  margin: 0 0 10px;
  padding: 6px 10px 10px;
  border: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-surface));
  font-size: 12px;
}

legend {
  padding: 0 4px;
  color: rgb(var(--v-theme-quiet));
}
</style>
