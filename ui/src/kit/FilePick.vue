<script setup lang="ts">
/** A file is chosen by what looks like any other action: its words are what is within. */
import { computed, useAttrs } from 'vue'

defineOptions({ inheritAttrs: false })
const attrs = useAttrs()
const forInput = computed(() =>
  Object.fromEntries(Object.entries(attrs).filter(([name]) => name !== 'class')),
)
</script>

<template>
  <label class="pick" :class="attrs.class"><slot /><input type="file" v-bind="forInput" /></label>
</template>

<style>
.pick {
  position: relative;
}

.pick input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}

.pick:focus-within {
  outline: 2px solid rgb(var(--v-theme-copper));
}
</style>
