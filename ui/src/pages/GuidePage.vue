<script setup lang="ts">
/** The guide: one chapter for each job, its contents beside it; "?" on a page opens the chapter that is about it. */
import { nextTick, onMounted, watch } from 'vue'
import { useRoute } from 'vue-router'
import guide from 'virtual:guide'

const route = useRoute()
function show() {
  void nextTick(() => document.getElementById(route.hash.slice(1))?.scrollIntoView())
}
onMounted(show)
watch(() => route.hash, show)
</script>

<template>
  <section class="guide">
    <nav class="column" aria-label="chapters">
      <template v-for="(chapter, k) in guide.chapters" :key="chapter.anchor">
        <p v-if="chapter.job !== guide.chapters[k - 1]?.job" class="job">{{ chapter.job }}</p>
        <router-link :to="`#${chapter.anchor}`" :class="{ on: route.hash === `#${chapter.anchor}` }">{{
          chapter.says
        }}</router-link>
      </template>
    </nav>
    <!-- Made from our own file when the front end was built; it holds no HTML of its own. -->
    <!-- eslint-disable-next-line vue/no-v-html -->
    <article tabindex="0" v-html="guide.html" />
  </section>
</template>

<style scoped>
.guide {
  display: grid;
  grid-template-columns: 260px minmax(0, 1fr);
  height: 100%;
}

nav .job {
  margin: 12px 0 2px;
  padding: 0 8px;
  font-weight: 600;
}

nav a {
  padding: 3px 8px;
  color: inherit;
  text-decoration: none;
}

nav a.on {
  box-shadow: inset 4px 0 0 rgb(var(--v-theme-copper));
  font-weight: 600;
}

article {
  padding: 14px 28px 80px;
  overflow: auto;
  font-size: 14px;
  line-height: 1.55;
}

article :deep(p),
article :deep(ul),
article :deep(table) {
  max-width: 78ch;
}

article :deep(h2) {
  margin: 26px 0 6px;
  padding-top: 8px;
  border-top: 6px solid rgb(var(--v-theme-duct));
  font-size: 18px;
}

article :deep(h3) {
  margin: 14px 0 4px;
}

article :deep(code) {
  padding: 0 4px;
  background: rgb(var(--v-theme-surface));
  font-family: var(--mono);
  font-size: 13px;
}

article :deep(td),
article :deep(th) {
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  text-align: left;
  vertical-align: baseline;
}

@media (max-width: 760px) {
  .guide {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: auto minmax(0, 1fr);
  }

  nav {
    display: none;
  }

  article {
    padding: 10px 14px 60px;
  }
}
</style>
