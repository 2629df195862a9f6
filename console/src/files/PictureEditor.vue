<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue'
import DialogFrame from '../shared/DialogFrame.vue'
import { draw, type Mark, type Tool } from './marks'

// A picture is blacked out and marked before it is added. What comes out is a new picture: nothing of what was blacked
// out is in it, nor what the camera or the program wrote into the file.
const props = defineProps<{ name: string; picture: string | Blob; addable?: boolean }>()
const emit = defineEmits<{ leave: []; save: [picture: Blob]; add: [] }>()
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const image = new Image()
const problem = ref('')
const ready = ref(false)
const tool = ref<Tool>('black')
const tools: { tool: Tool; label: string }[] = [
  { tool: 'black', label: 'Black out' },
  { tool: 'frame', label: 'Frame' },
  { tool: 'arrow', label: 'Arrow' },
  { tool: 'text', label: 'Text' },
]
const words = ref('')
const marks = ref<Mark[]>([])
const at = ref<Mark>()
const busy = ref(false)
const drawn = computed(() => (at.value ? [...marks.value, at.value] : marks.value))

function paint() {
  if (canvas.value && ready.value) draw(canvas.value, image, drawn.value)
}
watch([drawn, ready], paint, { deep: true })

onMounted(() => {
  const url = typeof props.picture === 'string' ? props.picture : URL.createObjectURL(props.picture)
  image.onload = () => {
    if (typeof props.picture !== 'string') URL.revokeObjectURL(url)
    ready.value = true
    void nextTick(paint)
  }
  image.onerror = () =>
    (problem.value = 'The picture cannot be shown here: its data is damaged, or it is not a picture.')
  image.src = url
})

/** Where the pointer is, in the picture's own pixels. */
function place(e: PointerEvent): { x: number; y: number } {
  const box = canvas.value!.getBoundingClientRect()
  return {
    x: ((e.clientX - box.left) / box.width) * canvas.value!.width,
    y: ((e.clientY - box.top) / box.height) * canvas.value!.height,
  }
}
function begin(e: PointerEvent) {
  if (!ready.value) return
  const { x, y } = place(e)
  if (tool.value === 'text') {
    if (words.value.trim()) marks.value.push({ tool: 'text', x, y, toX: x, toY: y, words: words.value.trim() })
    return
  }
  canvas.value!.setPointerCapture(e.pointerId)
  at.value = { tool: tool.value, x, y, toX: x, toY: y }
}
function move(e: PointerEvent) {
  if (!at.value) return
  const { x, y } = place(e)
  at.value = { ...at.value, toX: x, toY: y }
}
function end() {
  const mark = at.value
  at.value = undefined
  if (mark && Math.hypot(mark.toX - mark.x, mark.toY - mark.y) > 4) marks.value.push(mark)
}
/** Without a pointer, a mark is placed by numbers: percent of the picture. */
const box = ref({ left: 0, top: 0, right: 25, bottom: 10 })
function put() {
  const { width, height } = canvas.value!
  const share = (n: number, of: number) => (Math.min(100, Math.max(0, n)) / 100) * of
  marks.value.push({
    tool: tool.value,
    x: share(box.value.left, width),
    y: share(box.value.top, height),
    toX: share(box.value.right, width),
    toY: share(box.value.bottom, height),
    words: words.value.trim(),
  })
}
function save() {
  busy.value = true
  canvas.value!.toBlob((blob) => {
    busy.value = false
    if (blob) emit('save', blob)
    else problem.value = 'The browser could not make the picture. It may be too large.'
  }, 'image/png')
}
</script>

<template>
  <DialogFrame name="picture" :title="`Black out or mark ${name}`" size="broad" @leave="emit('leave')">
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="segments small tools" role="radiogroup" aria-label="Tool">
      <label v-for="t in tools" :key="t.tool"
        ><input v-model="tool" type="radio" name="tool" :value="t.tool" :data-testid="'tool-' + t.tool" />{{
          t.label
        }}</label
      >
    </div>
    <p class="sub small">
      {{
        tool === 'text'
          ? 'Write the text, then click where it belongs.'
          : tool === 'black'
            ? 'Drag over what nobody should see. It is gone from the picture that is saved.'
            : 'Drag over the picture.'
      }}
    </p>
    <input
      v-if="tool === 'text'"
      v-model="words"
      class="in"
      maxlength="120"
      aria-label="Text on the picture"
      data-testid="mark-words"
    />
    <div class="frame">
      <canvas
        ref="canvas"
        role="img"
        :aria-label="`${name}, with ${marks.length} marks`"
        data-testid="canvas"
        @pointerdown.prevent="begin"
        @pointermove="move"
        @pointerup="end"
        @pointercancel="end"
      />
    </div>
    <details class="small">
      <summary>Place it by numbers</summary>
      <div class="row numbers">
        <label v-for="side in ['left', 'top', 'right', 'bottom'] as const" :key="side"
          >{{ side }} %
          <input v-model.number="box[side]" class="in" type="number" min="0" max="100" :data-testid="'mark-' + side"
        /></label>
        <NButton
          size="small"
          :disabled="!ready || (tool === 'text' && !words.trim())"
          data-testid="put-mark"
          @click="put"
          >Place</NButton
        >
      </div>
    </details>
    <div class="row wraps buttons">
      <NButton type="primary" :disabled="!marks.length" :loading="busy" data-testid="save-picture" @click="save">{{
        addable ? 'Add this picture' : 'Add the copy'
      }}</NButton>
      <NButton v-if="addable" data-testid="add-as-is" @click="emit('add')">Add as it is</NButton>
      <NButton :disabled="!marks.length" data-testid="undo" @click="marks.pop()">Undo</NButton>
      <NButton @click="emit('leave')">Cancel</NButton>
    </div>
  </DialogFrame>
</template>

<style scoped>
.tools {
  margin-top: 10px;
}
.frame {
  margin: 8px 0;
  max-height: 56vh;
  overflow: auto;
  border: 1px solid var(--line2);
}
canvas {
  display: block;
  max-width: 100%;
  cursor: crosshair;
  touch-action: none;
}
.numbers {
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 6px;
}
.numbers .in {
  width: 64px;
}
.buttons {
  gap: 8px;
  margin-top: 12px;
}
</style>
