<script setup lang="ts">
/** Cables with their cores: which point runs through which, and what is spare. */
import { watchDebounced } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, shallowRef, watch } from 'vue'
import type { VVirtualScroll } from 'vuetify/components/VVirtualScroll'
import { useRoute } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import ChangePreview from '../parts/cabinet/ChangePreview.vue'
import { usePlant } from '../plant/store'
import { useHardware } from '../plant/useHardware'
import DenseField from '../kit/DenseField.vue'

type Cable = Schemas['CableOut']
const plant = usePlant()
const route = useRoute()
const cables = shallowRef<Cable[]>([])
const says = ref('')
const find = ref('')
const chosen = ref(0)
const fields = ref<Record<string, string>>({})
const { draft, shown, says: refused, busy, propose, accept, drop } = useHardware(read)
const FIELDS: [string, string][] = [
  ['name', 'name'],
  ['cores', 'cores'],
  ['kind', 'kind'],
  ['colours', 'colours, in order'],
  ['mm2', 'section, mm²'],
  ['length_m', 'length, m'],
  ['begins', 'from'],
  ['ends', 'to'],
]
const tag = (point: number) => (void plant.list.version, plant.list.text('tag', plant.list.row(point) ?? -1))
const listed = computed(() => {
  const words = find.value.toLowerCase().split(/\s+/).filter(Boolean)
  return cables.value.filter((c) => {
    const all = [c.name, c.kind, c.begins, c.ends, ...c.cores.flatMap((k) => k.points.map(tag))]
      .join(' ')
      .toLowerCase()
    return words.every((word) => all.includes(word))
  })
})
const one = computed(() => cables.value.find((c) => c.cable === chosen.value) ?? null)
const rows = ref<VVirtualScroll | null>(null)
/** The arrows choose: the list is one stop of Tab, however long it is. */
function step(by: number) {
  const at = listed.value.findIndex((c) => c.cable === chosen.value)
  const to = Math.max(0, Math.min(listed.value.length - 1, at + by))
  chosen.value = listed.value[to]?.cable ?? chosen.value
  void nextTick(() => rows.value?.scrollToIndex(to))
}
const double = (c: Cable) => c.cores.some((k) => k.points.length > 1)

async function read() {
  const answer = await ask(api.GET('/api/cables'))
  cables.value = answer.data?.cables ?? []
  says.value = answer.problem?.title ?? ''
}
watch(one, (c) => {
  fields.value = c ? Object.fromEntries(FIELDS.map(([f]) => [f, f === 'cores' ? String(c.cores.length) : String(c[f as keyof Cable] ?? '')])) : {} // prettier-ignore
})
/** The cable that the address names: the find field leads here by it. */
watch([() => route.query.cable, cables], ([name], before) => {
  if (!name || (name === before[0] && before[1]?.length)) return
  chosen.value = cables.value.find((c) => c.name === name)?.cable ?? chosen.value
})
watchDebounced(() => plant.list.version, read, { debounce: 60 })

function keep() {
  const body = Object.fromEntries(FIELDS.map(([f]) => [f, fields.value[f] ?? '']))
  if (chosen.value < 0) void propose({ title: `the cable ${body.name}`, operations: [{ do: 'add cable', ...body }] })
  else void propose({ title: `the cable ${one.value?.name}`, operations: [{ do: 'change cable', cable: chosen.value, ...body }] }) // prettier-ignore
}

function start() {
  chosen.value = -1
  fields.value = { name: '', cores: '2', kind: '', colours: '', mm2: '', length_m: '', begins: '', ends: '' }
}
onMounted(() => void read())
</script>

<template>
  <section class="cables">
    <div class="left">
      <header>
        <h1>cables</h1>
        <DenseField
          v-model="find"
          class="figure find"
          placeholder="find a cable, a place, a point"
          aria-label="find"
        />
        <span class="quiet"
          >{{ listed.length }} cable{{ listed.length === 1 ? '' : 's' }},
          {{ listed.reduce((n, c) => n + c.spare, 0) }} spare cores</span
        >
        <v-btn v-if="plant.may('engineer')" class="act" @click="start">another cable</v-btn>
      </header>
      <p v-if="says" class="bad">■ {{ says }}</p>
      <p v-else-if="!cables.length" class="quiet">no cable yet</p>
      <v-virtual-scroll
        ref="rows"
        class="rows"
        role="listbox"
        aria-label="cables"
        tabindex="0"
        :items="listed"
        item-key="cable"
        :item-height="30"
        @keydown.down.prevent="step(1)"
        @keydown.up.prevent="step(-1)"
      >
        <template #default="{ item: cable }">
          <v-list-item
            class="row"
            role="option"
            tabindex="-1"
            :active="cable.cable === chosen"
            :aria-selected="cable.cable === chosen"
            @click="chosen = cable.cable"
          >
            <span class="cells">
              <span class="figure">{{ cable.name }}</span>
              <span class="quiet">{{ cable.begins }} → {{ cable.ends }}</span>
              <span>{{ cable.kind }}</span>
              <span class="figure">{{ cable.cores.length }} cores</span>
              <span :class="double(cable) ? 'bad' : 'quiet'">{{
                double(cable) ? '■ a core twice' : cable.spare ? `${cable.spare} spare` : 'full'
              }}</span>
            </span>
          </v-list-item>
        </template>
      </v-virtual-scroll>
    </div>
    <aside class="column">
      <ChangePreview
        v-if="draft"
        :title="draft.title"
        :shown="shown"
        :says="refused"
        :busy="busy"
        @accept="accept"
        @drop="drop"
      />
      <template v-else-if="one || chosen < 0">
        <form @submit.prevent="keep">
          <label v-for="[f, label] in FIELDS" :key="f" class="small"
            >{{ label }}
            <DenseField v-model="fields[f]" class="figure setting" :disabled="!plant.may('engineer')"
          /></label>
          <p v-if="plant.may('engineer')" class="keys">
            <v-btn type="submit" class="act main">{{ chosen < 0 ? 'keep it' : 'change it' }}</v-btn>
            <v-btn
              v-if="one"
              class="act"
              @click="
                propose({ title: `${one.name} goes`, operations: [{ do: 'remove cable', cable: one.cable }] })
              "
            >
              take it out
            </v-btn>
          </p>
        </form>
        <ul v-if="one">
          <li v-for="core in one.cores" :key="core.number" :class="{ spare: !core.points.length }">
            <span class="figure">{{ core.number }}</span>
            {{ core.colour === String(core.number) ? '' : core.colour }}
            <router-link v-for="p in core.points" :key="p" class="figure" :to="`/point/${p}/wiring`">{{
              tag(p)
            }}</router-link>
            <span v-if="!core.points.length" class="quiet">spare</span>
            <span v-if="core.points.length > 1" class="bad">■ used twice</span>
          </li>
        </ul>
      </template>
      <p v-else class="quiet">choose a cable: its cores, and the points they run to</p>
    </aside>
  </section>
</template>

<style scoped>
.bad {
  color: rgb(var(--v-theme-bad));
}

.cables {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  height: 100%;
}

@media (max-width: 760px) {
  .cables {
    display: flex;
    flex-direction: column;
  }

  .cables .left {
    flex: 1;
  }

  .cables header {
    flex-wrap: wrap;
  }

  .cables .cells {
    grid-template-columns: 90px minmax(0, 1fr) auto;
  }

  .cables .cells > :nth-child(3),
  .cables .cells > :nth-child(4) {
    display: none;
  }
}

.left {
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 10px 14px;
}

header {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-bottom: 8px;
}

h1 {
  margin: 0;
  font-size: 17px;
}

.find {
  width: 260px;
}

.rows {
  flex: 1;
  min-height: 0;
  overflow: auto;
}

.row {
  min-height: 30px;
  padding: 0 4px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.cells {
  display: grid;
  grid-template-columns: 130px 190px 1fr 80px 110px;
  gap: 8px;
  align-items: center;
  font-size: 12px;
}

.cells > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.row.v-list-item--active {
  background: rgb(var(--v-theme-copper-wash));
}

label {
  display: grid;
  grid-template-columns: 110px 1fr;
  align-items: baseline;
}

ul {
  padding: 0;
  list-style: none;
}

li > :first-child {
  min-width: 20px;
  text-align: right;
}

li a {
  color: rgb(var(--v-theme-copper));
}

li {
  display: flex;
  gap: 10px;
  padding: 2px 4px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.spare {
  background: repeating-linear-gradient(135deg, transparent 0 5px, rgb(var(--v-theme-line)) 5px 6px);
}
</style>
