<script setup lang="ts">
import { ElButton } from 'element-plus'
import { ref, watch } from 'vue'
import Setting from '../../shared/Setting.vue'
import { useAreas } from '../../store/areas.js'
import { useBench } from '../../store/bench.js'
import { useGroup } from '../../store/bench/group.js'

/** Guards and zones: the list, and how the selected one or a new one is drawn. */
const bench = useBench()
const areas = useAreas()
const group = useGroup()
/** While the slider is moved; set when it is let go. */
const softEdge = ref(0)
watch(() => areas.selected?.softEdgePx, (px) => (softEdge.value = px ?? 0), { immediate: true })
</script>

<template>
  <aside class="slip" aria-label="Guards and zones" data-test="area-slip">
    <h2>Guards and zones</h2>
    <p class="soft">Mends, sources and fills stop at a guard. A zone is a named area to be used again.</p>
    <div v-if="bench.areas.length > 0" class="list">
      <ElButton v-for="area in bench.areas" :key="area.id" :class="{ on: area.id === areas.selectedId }" :aria-pressed="area.id === areas.selectedId" data-test="area" @click="areas.selectedId = area.id === areas.selectedId ? null : area.id">
        <span>{{ area.name }}</span><small class="soft">{{ area.role }}</small>
      </ElButton>
    </div>
    <div class="pair" role="radiogroup" aria-label="Drawn by">
      <ElButton role="radio" :aria-checked="areas.drawWith === 'grow'" :class="{ on: areas.drawWith === 'grow' }" data-test="area-grow" @click="areas.drawWith = 'grow'">From strokes</ElButton>
      <ElButton role="radio" :aria-checked="areas.drawWith === 'outline'" :class="{ on: areas.drawWith === 'outline' }" data-test="area-outline" @click="(areas.forget(), (areas.drawWith = 'outline'))">By outline</ElButton>
    </div>
    <div v-if="areas.selected" class="pair" role="radiogroup" aria-label="What is drawn is">
      <ElButton role="radio" :aria-checked="areas.mode === 'add'" :class="{ on: areas.mode === 'add' }" data-test="area-add" @click="areas.mode = 'add'">Add to it</ElButton>
      <ElButton role="radio" :aria-checked="areas.mode === 'take'" :class="{ on: areas.mode === 'take' }" data-test="area-take" @click="areas.mode = 'take'">Take away</ElButton>
    </div>
    <template v-if="areas.drawWith === 'grow'">
      <div class="pair" role="radiogroup" aria-label="The next stroke lies">
        <ElButton role="radio" :aria-checked="areas.side === 'inside'" :class="{ on: areas.side === 'inside' }" data-test="side-inside" @click="areas.side = 'inside'">Inside <span class="key">I</span></ElButton>
        <ElButton role="radio" :aria-checked="areas.side === 'outside'" :class="{ on: areas.side === 'outside' }" data-test="side-outside" @click="areas.side = 'outside'">Outside <span class="key">I</span></ElButton>
      </div>
      <Setting v-model="areas.thinPx" label="Leave out what is thinner" unit="px" :min="0" :max="40" test="thin" />
      <p class="soft" data-test="grow-state">{{ areas.growing ? 'Growing along the edges' : areas.isDrawing ? (areas.grown.length > 0 ? 'Draw more strokes where it is wrong, or keep it.' : 'Draw a stroke inside.') : 'Draw a stroke inside the thing, and one outside.' }}</p>
      <ElButton type="primary" data-test="area-keep" :disabled="areas.grown.length === 0 || areas.growing" @click="areas.keep">Keep <span class="key">Enter</span></ElButton>
      <ElButton v-if="areas.isDrawing" data-test="area-forget" @click="areas.forget">Forget the strokes <span class="key">Esc</span></ElButton>
    </template>
    <section v-if="areas.selected" class="one">
      <label class="name"><span>Name</span><input :value="areas.selected.name" maxlength="80" aria-label="Name" data-test="area-name" @change="areas.rename(($event.target as HTMLInputElement).value)"></label>
      <div class="pair" role="radiogroup" aria-label="It is a">
        <ElButton role="radio" :aria-checked="areas.selected.role === 'guard'" :class="{ on: areas.selected.role === 'guard' }" data-test="role-guard" @click="areas.setRole('guard')">Guard</ElButton>
        <ElButton role="radio" :aria-checked="areas.selected.role === 'zone'" :class="{ on: areas.selected.role === 'zone' }" data-test="role-zone" @click="areas.setRole('zone')">Zone</ElButton>
      </div>
      <Setting v-model="softEdge" label="Soft edge" unit="px" :min="0" :max="60" test="area-soft-edge" @change="areas.setSoftEdge(softEdge)" />
      <ElButton data-test="area-flaws" @click="group.chooseIn(areas.selected)">Choose the flaws in it</ElButton>
      <ElButton data-test="area-remove" @click="areas.remove">Take out {{ areas.selected.role === 'guard' ? 'this guard' : 'this zone' }}</ElButton>
    </section>
  </aside>
</template>

<style scoped>
.list { border: 1px solid var(--hairline); border-radius: 3px; background: #fff; flex: none; max-height: 150px; overflow-y: auto; }
.list button { display: flex; justify-content: space-between; width: 100%; border: 0; border-bottom: 1px solid var(--hairline); background: none; padding: 5px 9px; cursor: pointer; text-align: left; }
.list button:last-child { border-bottom: 0; }
.list button.on { box-shadow: inset 3px 0 0 var(--ink); background: var(--ground); }
.pair { display: flex; flex: none; }
.pair button { flex: 1; border: 1px solid var(--hairline); background: #fff; padding: 4px 6px; cursor: pointer; font-size: 12px; }
.pair button + button { border-left: 0; }
.pair button.on { background: var(--ink); color: #fff; border-color: var(--ink); }
.one { display: flex; flex-direction: column; gap: 8px; border-top: 1px solid var(--hairline); padding-top: 8px; }
.name input { width: 100%; box-sizing: border-box; border: 1px solid var(--hairline); border-radius: 3px; padding: 4px 7px; font: inherit; }
</style>
