<script setup lang="ts">
/** The point that is held, and what it would mean to land it where one aims. */
import { nextTick, ref, watch } from 'vue'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import { focusOn, type Focusable } from '../../kit/focus'

const props = defineProps<{
  point: number
  aimed: { module: Schemas['ModuleOut']; channel: Schemas['ChannelOut'] } | null
  fit: Schemas['FitOut'] | undefined
}>()
const emit = defineEmits<{ land: []; drop: [] }>()
const plant = usePlant()
const main = ref<Focusable | null>(null)
const text = (field: string) => (
  void plant.list.version,
  plant.list.text(field, plant.list.row(props.point) ?? -1)
)
watch(
  () => (props.fit ? props.aimed : null),
  (now) => now && void nextTick(() => focusOn(main.value)),
)
</script>

<template>
  <div class="aim panel side">
    <h2>
      holding <span class="figure">{{ text('tag') }}</span>
    </h2>
    <p class="quiet small">{{ text('signal') }} {{ text('channel') ? `· now on ${text('channel')}` : '' }}</p>
    <template v-if="aimed">
      <p>
        if it lands on <span class="figure">{{ aimed.channel.address }}</span>, terminals
        {{ aimed.channel.terminals.join(' / ') }}:
      </p>
      <p class="small quiet">{{ aimed.channel.register_at }} · {{ aimed.channel.direct }}</p>
      <p v-if="fit?.mode" class="small">
        mode {{ fit.mode }}<template v-if="fit.reads">; half of its range reads {{ fit.reads }}</template>
      </p>
      <p v-if="fit?.margin" class="small">{{ fit.margin }}</p>
      <p v-if="fit?.supply" class="small">{{ fit.supply }}</p>
      <p v-for="why in fit?.reasons" :key="why" class="settle small">▲ {{ why }}</p>
      <p v-if="text('channel')" class="small quiet">
        its device, scaling, alarms and words stay as they are; the channel changes, and what the list above
        names
      </p>
      <v-btn ref="main" class="act main" :disabled="!fit" @click="emit('land')">land it</v-btn>
    </template>
    <p v-else class="small quiet">aim at a channel that is lit</p>
    <v-btn class="act" @click="emit('drop')">put it down</v-btn>
  </div>
</template>

<style scoped>
.act {
  margin: 2px 6px 0 0;
}
</style>
