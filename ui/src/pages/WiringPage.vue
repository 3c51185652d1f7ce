<script setup lang="ts">
/** The wiring of one point, drawn from what is known of it, with what a meter should read and how a calibrator goes on. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { useEscape } from '../plant/escape'

const plant = usePlant()
const route = useRoute()
const router = useRouter()
const found = shallowRef<Schemas['CircuitOut'] | null>(null)
const says = ref('')
const point = computed(() => Number(route.params.point))
const text = (field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point.value) ?? -1)
)

async function read() {
  const answer = await ask(
    api.GET('/api/points/{point}/wiring', { params: { path: { point: point.value } } }),
  )
  found.value = (answer.data as Schemas['CircuitOut'] | undefined) ?? null
  says.value = answer.problem ? `${answer.problem.title} · ${answer.problem.remedy}` : ''
}
watch([point, () => plant.list.version], () => void read())

useEscape(() => true, () => router.push(`/point/${point.value}`)) // prettier-ignore
const print = () => window.print()
onMounted(() => void read())
</script>

<template>
  <section class="wiring">
    <header>
      <h1>
        <span class="figure">{{ text('tag') }}</span> {{ text('service') }}
        <span class="quiet small">{{ text('channel') }}</span>
      </h1>
      <router-link class="act" :to="`/point/${point}`">its path</router-link>
      <a v-if="found" class="act" :href="`/api/points/${point}/wiring.svg`" download>the drawing as SVG</a>
      <v-btn v-if="found" class="act" @click="print">print</v-btn>
    </header>
    <p v-if="says" class="quiet">{{ says }}</p>
    <template v-if="found">
      <!-- The server draws and escapes every text; nothing typed reaches the page as markup. -->
      <!-- eslint-disable-next-line vue/no-v-html -->
      <div class="panel drawing" v-html="found.svg"></div>
      <div v-if="found.safe.length" class="panel first">
        <h2>▲ before anything is lifted</h2>
        <p v-for="line in found.safe" :key="line">{{ line }}</p>
      </div>
      <div class="two">
        <div class="panel">
          <h2>the current’s way round</h2>
          <p v-for="fault in found.faults" :key="fault" class="bad">■ {{ fault }}</p>
          <ol v-if="found.way.length">
            <li v-for="(step, i) in found.way" :key="i">{{ step }}</li>
          </ol>
          <p v-else class="quiet">hardly any current flows: it is a voltage</p>
          <p class="quiet small">{{ found.words }}</p>
          <p v-for="note in found.notes" :key="note" class="small">{{ note }}</p>
        </div>
        <div class="panel">
          <h2>the meter</h2>
          <div v-for="r in found.readings" :key="r.meter + r.where" class="reading">
            <p>
              <b>{{ r.meter }}</b> {{ r.where }}
            </p>
            <p class="figure">{{ r.healthy }}</p>
            <p v-for="[seen, means] in r.otherwise" :key="seen" class="small quiet">
              {{ seen }}: {{ means }}
            </p>
          </div>
        </div>
        <div class="panel">
          <h2>the calibrator</h2>
          <p>
            <b>{{ found.calibrator }}</b>
          </p>
          <ol>
            <li v-for="(step, i) in found.steps" :key="i">{{ step }}</li>
          </ol>
        </div>
      </div>
    </template>
  </section>
</template>

<style scoped>
.bad {
  color: rgb(var(--v-theme-bad));
}

.wiring {
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}

header {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}

header a {
  text-decoration: none;
}

h1 {
  flex: 1 0 220px;
  margin: 0;
  font-size: 17px;
}

h2 {
  margin: 0 0 4px;
  font-size: 13px;
}

.panel {
  padding: 8px 12px;
}

.drawing {
  --draw-ink: rgb(var(--v-theme-ink));
  --draw-paper: rgb(var(--v-theme-surface));
  --draw-quiet: rgb(var(--v-theme-quiet));
  --draw-copper: rgb(var(--v-theme-copper));
  --draw-bad: rgb(var(--v-theme-bad));

  margin-bottom: 10px;
  overflow: auto;
}

.drawing :deep(svg) {
  display: block;
  width: 100%;
  min-width: 760px;
  max-height: 400px;
}

.first {
  margin-bottom: 10px;
  border-color: rgb(var(--v-theme-settle));
  background: rgb(var(--v-theme-settle-wash));
}

.first p {
  margin: 0;
}

.two {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 10px;
}

.two p {
  margin: 0 0 4px;
}

ol {
  margin: 0 0 6px;
  padding-left: 20px;
}

.reading {
  padding-bottom: 5px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

@media (width <= 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}

@media print {
  header .act {
    display: none;
  }
}
</style>
