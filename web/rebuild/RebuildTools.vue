<script setup lang="ts">
import { ElInputNumber, ElRadioButton, ElRadioGroup, ElSlider } from 'element-plus'
import { useRebuild, type RebuildTool } from './rebuild.js'

/** What the pointer does in Rebuild, and the pen. */
const rebuild = useRebuild()
const TOOLS: { id: RebuildTool; word: string; key: string; hint: string }[] = [
  { id: 'look', word: 'Look', key: 'V', hint: 'Click to say which place the test strip shows' },
  { id: 'draw', word: 'Draw', key: 'S', hint: 'Draw; with Shift a straight line from the end of the last stroke' },
  { id: 'pick', word: 'Pick tone', key: 'P', hint: 'Click in the picture: its tone is drawn with' },
  { id: 'edge', word: 'Edge', key: 'E', hint: 'Draw along a broken edge, from where it is sound to where it is sound again' },
  { id: 'sharpen-edge', word: 'Sharpen', key: 'A', hint: 'Draw along a blurred edge' },
  { id: 'texture', word: 'Texture', key: 'T', hint: 'Draw where a surface has lost its texture' },
  { id: 'source', word: 'Texture from', key: 'F', hint: 'Click where texture is taken from' },
]
</script>

<template>
  <ElRadioGroup v-model="rebuild.tool" size="small" aria-label="Tool" class="tools">
    <ElRadioButton v-for="tool in TOOLS" :key="tool.id" :value="tool.id" :title="`${tool.hint} (${tool.key})`" :data-test="`rebuild-${tool.id}`">{{ tool.word }}</ElRadioButton>
  </ElRadioGroup>
  <div v-if="rebuild.draws" class="brush" title="Size of the pen: - and +, or Alt and the wheel">
    <ElSlider v-model="rebuild.sizePx" :min="1" :max="200" :show-tooltip="false" aria-label="Size of the pen" />
    <ElInputNumber v-model="rebuild.sizePx" :min="1" :max="600" :controls="false" size="small" aria-label="Size of the pen in pixels" data-test="pen-size" /> px
  </div>
  <span v-if="rebuild.tool === 'draw' || rebuild.tool === 'pick'" class="tone" :style="{ background: rebuild.toneOnScreen }" title="The tone that is drawn with" data-test="tone" />
</template>

<style scoped>
.tools { flex-wrap: nowrap; }
.tools :deep(.el-radio-button__inner) { padding: 5px 8px; }
.brush { display: flex; align-items: center; gap: 5px; }
.brush :deep(.el-slider) { width: 60px; }
.brush :deep(.el-input-number) { width: 46px; flex: none; }
.brush :deep(.el-input__wrapper) { padding: 0 5px; }
.tone { width: 34px; height: 20px; border: 1px solid var(--hairline); border-radius: 3px; flex: none; }
</style>
