<script setup lang="ts">
/** Cables with their cores: which point runs through which, and what is spare. */
import { watchDebounced } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { ask, api, type Schemas } from '../api/client'
import ChangePreview from '../parts/cabinet/ChangePreview.vue'
import { usePlant } from '../plant/store'
import { useHardware } from '../plant/useHardware'
import DenseField from '../kit/DenseField.vue'

type Cable = Schemas['CableOut']
const plant = usePlant()
const cables = shallowRef<Cable[]>([])
const says = ref('')
const find = ref('')
const chosen = ref(0)
const fields = ref<Record<string, string>>({})
const box = ref<HTMLElement | null>(null)
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
const virtual = useVirtualizer(
  computed(() => ({
    count: listed.value.length,
    getScrollElement: () => box.value,
    estimateSize: () => 30,
    overscan: 12,
  })),
)
const double = (c: Cable) => c.cores.some((k) => k.points.length > 1)

async function read() {
  const answer = await ask(api.GET('/api/cables'))
  cables.value = answer.data?.cables ?? []
  says.value = answer.problem?.title ?? ''
}
watch(one, (c) => {
  fields.value = c ? Object.fromEntries(FIELDS.map(([f]) => [f, f === 'cores' ? String(c.cores.length) : String(c[f as keyof Cable] ?? '')])) : {} // prettier-ignore
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
          >{{ listed.length }} cables, {{ listed.reduce((n, c) => n + c.spare, 0) }} spare cores</span
        >
        <v-btn v-if="plant.may('engineer')" class="act" @click="start">another cable</v-btn>
      </header>
      <p v-if="says" class="bad">■ {{ says }}</p>
      <p v-else-if="!cables.length" class="quiet">no cable yet</p>
      <div ref="box" class="rows" role="list">
        <div :style="{ height: `${virtual.getTotalSize()}px`, position: 'relative' }">
          <v-btn
            v-for="item in virtual.getVirtualItems()"
            :key="listed[item.index]!.cable"
            role="listitem"
            class="row"
            :class="{ on: listed[item.index]!.cable === chosen }"
            :style="{ transform: `translateY(${item.start}px)` }"
            @click="chosen = listed[item.index]!.cable"
          >
            <span class="figure">{{ listed[item.index]!.name }}</span>
            <span class="quiet">{{ listed[item.index]!.begins }} → {{ listed[item.index]!.ends }}</span>
            <span>{{ listed[item.index]!.kind }}</span>
            <span class="figure">{{ listed[item.index]!.cores.length }} cores</span>
            <span :class="double(listed[item.index]!) ? 'bad' : 'quiet'">{{
              double(listed[item.index]!)
                ? '■ a core twice'
                : listed[item.index]!.spare
                  ? `${listed[item.index]!.spare} spare`
                  : 'full'
            }}</span>
          </v-btn>
        </div>
      </div>
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
  position: absolute;
  display: grid;
  grid-template-columns: 130px 190px 1fr 80px 110px;
  gap: 8px;
  align-items: center;
  width: 100%;
  height: 30px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  background: none;
  color: inherit;
  font-size: 12px;
  text-align: left;
}

.row.on {
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
