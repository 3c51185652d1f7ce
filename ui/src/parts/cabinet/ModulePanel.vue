<script setup lang="ts">
/** One module opened large beside its rack: each channel with its terminals and what comes in there; counts and loads; what can be done with it. */
import { computed, ref, watch } from 'vue'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import { mark } from '../../plant/findings'
import LiveCell from '../LiveCell.vue'
import LoadBar from './LoadBar.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import NamesPanel from './NamesPanel.vue'

const props = defineProps<{
  module: Schemas['ModuleOut']
  types: Schemas['TypeOut'][]
  place: number
  rack: Schemas['RackIn']
  /** Counts changes that were put back. */
  round?: number
}>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]] }>()
const plant = usePlant()
const other = ref('')
const beside = ref('')
watch(
  () => props.module.module,
  () => (other.value = beside.value = ''),
)
const CALLED = [
  ['label', 'what you call it'],
  ['comment', 'a comment'],
  ['firmware', 'the firmware that it is to have'],
] as const
/** A firmware is asked for where the module can be asked for it, or somebody noted one. */
const asked = computed(() =>
  CALLED.filter(([field]) => field !== 'firmware' || props.module.says_firmware || props.module.firmware),
)
const called = ref({ label: '', comment: '', firmware: '' })
watch(
  () => [props.module.label, props.module.comment, props.module.firmware, props.round],
  () => {
    const { label, comment, firmware } = props.module
    called.value = { label, comment, firmware }
  },
  { immediate: true },
)
const text = (field: string, point: number) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(point) ?? -1)
)
function remark(c: Schemas['ChannelOut'], event: Event) {
  const said = (event.target as HTMLInputElement).value.trim()
  if (said !== c.remark)
    propose(`${c.address}: ${said || 'no comment'}`, {
      do: 'call',
      module: props.module.module,
      channel: c.channel,
      remark: said,
    })
}
const worst = (point: number) => plant.findingsOf.get(point)?.[0]
const propose = (title: string, operation: Operation) => emit('propose', title, [operation])
const titled = (key: string) => props.types.find((t) => t.key === key)?.title ?? key
</script>

<template>
  <section class="panel side">
    <h2>{{ module.slot ? `slot ${module.slot} · ` : '' }}{{ module.title }}</h2>
    <p v-if="module.label" class="label">{{ module.label }}</p>
    <p v-if="module.comment" class="small">{{ module.comment }}</p>
    <p class="quiet small">{{ module.summary }}</p>
    <template v-if="module.channels.length">
      <p class="small">
        {{ module.count.used }} of {{ module.count.channels }} channels used; {{ module.count.free }} free,
        {{ module.count.spare }} spare by policy, {{ module.count.wired }} wired spare
      </p>
      <LoadBar v-for="load in module.loads" :key="load.name" :load="load" />
      <p class="quiet small">
        {{ module.heat_w }} W of heat<template v-if="!rack.by_name">
          · input registers from {{ module.first_register }}, settings from {{ module.first_setting }} (from
          0)</template
        >
      </p>
      <ol class="channels" aria-label="channels">
        <li v-for="c in module.channels" :key="c.channel" :class="{ free: !c.point }">
          <span class="figure no">{{ c.address.split('·').at(-1) }}</span>
          <span class="terminals figure" :aria-label="`terminals ${c.terminals.join(', ')}`">
            <i v-for="terminal in c.terminals" :key="terminal">{{ terminal }}</i>
          </span>
          <template v-if="c.point">
            <router-link class="figure tag" :to="`/point/${c.point}`"
              ><span v-if="worst(c.point)" :class="worst(c.point)!.severity" aria-hidden="true"
                >{{ mark(worst(c.point)!) }} </span
              >{{ text('tag', c.point) }}</router-link
            >
            <LiveCell class="now" :point="c.point" />
            <span class="small words">{{ text('service', c.point) }}</span>
          </template>
          <template v-else>
            <span class="quiet tag">{{ c.wired ? 'wired spare' : 'free' }}{{ c.off ? ', off' : '' }}</span>
            <DenseField
              v-if="plant.may('engineer')"
              :key="round"
              class="remark small"
              :model-value="c.remark"
              placeholder="what it is kept for"
              :aria-label="`what ${c.address} is kept for`"
              @change="remark(c, $event)"
            />
            <span v-else class="small words">{{ c.remark }}</span>
            <v-btn
              v-if="plant.may('engineer')"
              class="link now"
              @click="
                propose(c.wired ? `${c.address} is not wired` : `${c.address} is a wired spare`, {
                  do: 'wire',
                  module: module.module,
                  channel: c.channel,
                  wired: !c.wired,
                })
              "
            >
              {{ c.wired ? 'not wired' : 'wired' }}
            </v-btn>
            <v-btn
              v-if="plant.may('engineer')"
              class="link"
              :aria-label="`switch ${c.address} ${c.off ? 'on' : 'off'}`"
              @click="
                propose(`${c.address} is ${c.off ? 'on' : 'off'}`, {
                  do: 'switch spare',
                  module: module.module,
                  channel: c.channel,
                  off: !c.off,
                })
              "
            >
              {{ c.off ? 'on' : 'off' }}
            </v-btn>
          </template>
          <span v-tip="c.register_at" class="figure small quiet address">{{ c.direct || c.name }}</span>
        </li>
      </ol>
    </template>
    <NamesPanel
      v-if="rack.by_name && module.channels.length"
      :module="module"
      :rack="rack.rack"
      :link="rack.link"
      :may-change="plant.may('engineer')"
      @propose="(title, operations) => emit('propose', title, operations)"
    />
    <template v-if="plant.may('engineer')">
      <label v-for="[field, label] in asked" :key="field" class="small"
        >{{ label }}
        <DenseField
          v-model="called[field]"
          class="setting"
          @change="
            called[field].trim() !== module[field] &&
            propose(`${module.title}: ${label}`, {
              do: 'call',
              module: module.module,
              [field]: called[field],
            })
          "
      /></label>
      <label class="small"
        >another type in this place
        <ChoiceField
          v-model="other"
          :items="[
            { value: '', title: '…' },
            ...types.map((t) => ({ value: t.key, title: `${t.title}: ${t.summary}` })),
          ]"
          @update:model-value="
            propose(`${module.title} becomes ${titled(other)}`, {
              do: 'replace module',
              module: module.module,
              type: other,
            })
          "
      /></label>
      <label class="small"
        >put one to the right
        <ChoiceField
          v-model="beside"
          :items="[
            { value: '', title: '…' },
            ...types.map((t) => ({ value: t.key, title: `${t.title}: ${t.summary}` })),
          ]"
          @update:model-value="
            propose(`${titled(beside)} into the rack`, {
              do: 'add module',
              rack: rack.rack,
              type: beside,
              place: place + 1,
            })
          "
      /></label>
      <p class="keys">
        <v-btn
          class="act"
          @click="propose(`${module.title} goes out`, { do: 'remove module', module: module.module })"
        >
          take it out
        </v-btn>
        <router-link class="act" :to="`/types/${module.type}`">its type</router-link>
      </p>
    </template>
  </section>
</template>

<style scoped>
label {
  display: block;
  margin-bottom: 6px;
}

.channels {
  margin: 0 0 10px;
  padding: 0;
  list-style: none;
}

/* As on the module's front: the number, its terminals beside it, and what comes in there. */
.channels li {
  display: grid;
  grid-template-columns: 22px auto minmax(0, 1fr) auto;
  gap: 0 8px;
  align-items: center;
  min-height: 42px;
  padding: 3px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.channels li.free {
  min-height: 30px;
}

.no {
  font-weight: 600;
  text-align: right;
}

.terminals {
  display: flex;
  gap: 2px;
}

.terminals i {
  min-width: 20px;
  padding: 1px 3px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: 2px;
  background: rgb(var(--v-theme-band));
  font-size: 11px;
  font-style: normal;
  text-align: center;
}

.tag {
  overflow: hidden;
  color: inherit;
  font-weight: 600;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.free .tag {
  grid-row: 1;
  grid-column: 3;
  font-weight: 400;
}

.free .now {
  grid-row: 1;
}

.channels .remark {
  grid-row: 2;
  grid-column: 3 / -1;
  width: 100%;
}

.now {
  grid-column: 4;
  text-align: right;
}

.words {
  grid-column: 3;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.address {
  grid-column: 4;
  text-align: right;
}

.free .address {
  grid-column: 3;
  grid-row: 1;
  justify-self: end;
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.settle {
  color: rgb(var(--v-theme-settle));
}

select {
  width: 100%;
}

.link {
  border: 0;
  background: none;
  color: rgb(var(--v-theme-copper));
  font: inherit;
  cursor: pointer;
}
</style>
