<script setup lang="ts">
/** The settings of the chosen station, edited in place; each is saved at once and can be undone. */
import { computed, reactive, ref, watch } from 'vue'
import type { Schemas } from '../api/client'
import CellEditor from '../grid/CellEditor.vue'
import LongEditor from './LongEditor.vue'
import { editsAsDevice } from '../plant/asDevice'
import { usePlant } from '../plant/store'
import { useOffers } from '../plant/useOffers'
import { asTyped } from '../plant/words'

const props = defineProps<{ sheet: Schemas['SheetOut']; station: string }>()
const plant = usePlant()
const editing = ref<{ point: number; field: string; was: string; text: string } | null>(null)

// What somebody folded or opened stays so from point to point.
const opened = reactive(new Map<string, boolean>())
const LONG = ['table', 'hops', 'factors']
const STATION_OF: Record<string, string> = { PROCESS: 'DEVICE' }
const shown = computed(() => STATION_OF[props.station] ?? props.station)
const settings = computed(() =>
  (plant.plant?.fields ?? [])
    .filter((f) => f.station === shown.value)
    .flatMap((field) => {
      const setting = props.sheet.settings.find((s) => s.field === field.name)
      return setting?.applies ? [{ field, setting }] : []
    }),
)
/** Settings that belong together; those of a station that has no groups stand in one without a name. */
const groups = computed(() => {
  const out = new Map<string, typeof settings.value>()
  for (const one of settings.value) {
    const { group } = one.field
    out.set(group, [...(out.get(group) ?? []), one])
  }
  return [...out].map(([name, of], place) => {
    const set = of.filter(
      ({ field, setting }) => setting.text || plant.waitingAt(props.sheet.point, field.name),
    )
    const says = set.map(({ field, setting }) => `${field.label} ${setting.text} ${setting.unit}`.trim())
    return {
      name,
      of,
      says: says.join(' · ') || 'nothing set',
      open: !name || (opened.get(name) ?? (place === 0 || set.length > 0)),
    }
  })
})
function turned(name: string, event: Event) {
  const { open } = event.target as HTMLDetailsElement
  const group = groups.value.find((one) => one.name === name)
  if (group && group.open !== open) opened.set(name, open)
}

const same = computed(() => {
  void plant.list.version
  return shown.value === 'VALUE' ? editsAsDevice(plant.list, [props.sheet.point]) : []
})
const asked = useOffers(() => {
  const now = editing.value
  const field = now && settings.value.find((one) => one.field.name === now.field)?.field
  return now && field ? { point: now.point, field } : null
})
const offersOf = (setting: Schemas['SettingOut']) =>
  asked.value.length
    ? asked.value
    : setting.choices.map((text) => ({ text, says: setting.unfit[text], fits: !setting.unfit[text] }))

watch(
  () => `${props.station} ${props.sheet.point}`,
  () => (editing.value = null),
)

function edit(field: string, text: string) {
  if (!plant.may('edit')) return plant.say('a reader may look, not change')
  const point = props.sheet.point
  const wait = plant.waitingAt(point, field)
  // What stood there when the hand came decides a conflict, not what others have written since.
  const stands = plant.list.text(field, plant.list.row(point) ?? -1)
  const was = wait?.state === 'conflict' ? (wait.theirs ?? '') : stands
  editing.value = { point, field, was, text: wait?.text ?? text }
}

function accept(field: string) {
  const now = editing.value
  if (!now || now.field !== field) return
  editing.value = null
  void plant.save([{ point: now.point, field, was: now.was, text: now.text }])
}
</script>

<template>
  <section class="panel settings">
    <h3>
      {{ shown }}<span class="quiet"> · settings</span>
      <span v-if="station === 'PROCESS'" class="quiet">
        · what is in the pipe is implied by the device's range</span
      >
      <v-btn
        v-if="same.length && plant.may('edit')"
        v-tip="'range and unit as the device has them'"
        class="act"
        @click="plant.save(same, 'same as the device')"
      >
        same as the device
      </v-btn>
    </h3>
    <p v-if="!settings.length" class="quiet">nothing to set here for this signal</p>
    <component
      :is="group.name ? 'details' : 'div'"
      v-for="group in groups"
      :key="group.name"
      :open="group.open"
      @toggle="turned(group.name, $event)"
    >
      <summary v-if="group.name">
        {{ group.name }} <span class="quiet small">{{ group.says }}</span>
      </summary>
      <dl v-if="group.open">
        <div v-for="{ field, setting } in group.of" :key="field.name">
          <dt v-tip="field.says" class="quiet small">{{ field.label }}</dt>
          <dd>
            <LongEditor
              v-if="editing?.field === field.name && LONG.includes(field.kind)"
              :model-value="editing.text"
              :label="`${shown} ${field.label}`"
              @done="((editing.text = $event), accept(field.name))"
              @leave="editing = null"
            />
            <CellEditor
              v-else-if="editing?.field === field.name"
              v-model="editing.text"
              :offers="offersOf(setting)"
              :label="`${shown} ${field.label}`"
              select-all
              @done="accept(field.name)"
              @leave="editing = null"
            />
            <span
              v-if="setting.fixed"
              v-tip="setting.fixed"
              class="figure setting fixed"
              tabindex="0"
              role="note"
              :aria-label="`${field.label}: ${setting.text || 'as the hardware has it'}, fixed by the hardware: ${setting.fixed}`"
              >{{ asTyped(setting.text) || 'fixed' }}
              <span class="quiet small">{{ setting.fixed }}</span></span
            >
            <v-btn
              v-else-if="!(editing?.field === field.name && LONG.includes(field.kind))"
              v-tip="field.says"
              class="figure setting"
              :class="plant.waitingAt(sheet.point, field.name)?.state"
              :aria-label="
                `${field.label}: ${plant.waitingAt(sheet.point, field.name)?.text || setting.text || (setting.derived ? `follows, now ${setting.derived}` : 'empty')} ${setting.unit ?? ''}`.trimEnd()
              "
              @click="edit(field.name, setting.text)"
            >
              <template v-if="plant.waitingAt(sheet.point, field.name)?.text ?? setting.text">
                {{ plant.waitingAt(sheet.point, field.name)?.text ?? asTyped(setting.text) }}
                <span v-if="setting.unit" class="quiet unit">{{ setting.unit }}</span>
              </template>
              <span
                v-else-if="setting.derived"
                v-tip="`empty: follows, now ${setting.derived}`"
                class="quiet follows"
              >
                {{ asTyped(setting.derived)
                }}<span v-if="setting.unit" class="unit"> {{ setting.unit }}</span>
              </span>
              <span v-else class="quiet">empty</span>
            </v-btn>
            <p v-if="plant.waitingAt(sheet.point, field.name)?.says" class="says small" role="alert">
              ■ {{ plant.waitingAt(sheet.point, field.name)?.says }}
              <v-btn class="act" @click="plant.drop(sheet.point, field.name)"> leave it as it was </v-btn>
            </p>
          </dd>
        </div>
      </dl>
    </component>
  </section>
</template>

<style scoped>
.settings {
  padding: 8px 12px;
  overflow: auto;
}

h3 {
  margin: 0 0 6px;
  font-size: 12px;
}

h3 .quiet {
  font-weight: 400;
}

h3 .act {
  margin-left: 10px;
}

summary {
  overflow: hidden;
  cursor: pointer;
  font-size: 12px;
  line-height: 24px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

summary .quiet {
  margin-left: 6px;
}

details[open] > summary .quiet {
  display: none;
}

details + details {
  border-top: 1px solid rgb(var(--v-theme-line));
}

details dl {
  margin: 0 0 8px 12px;
}

dl {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(128px, 1fr));
  gap: 6px 14px;
  margin: 0;
}

dd {
  position: relative;
  margin: 0;
}

.fixed {
  display: block;
  border-bottom-style: dotted;
}

.unit {
  font-size: 11px;
}

.follows {
  font-style: italic;
}

.setting.refused,
.setting.conflict {
  background: rgb(var(--v-theme-bad-wash));
  color: rgb(var(--v-theme-bad));
  text-decoration: underline wavy;
}

.says {
  margin: 2px 0 0;
  color: rgb(var(--v-theme-bad));
}
</style>
