<script setup lang="ts">
import type { PieceView } from '../api/client'
import { useFormats } from '../composables/format'

defineProps<{ piece: PieceView }>()
const f = useFormats()
</script>

<template>
  <dl>
    <template v-if="piece.surface.triangles">
      <dt>Size</dt>
      <dd class="num wrap">{{ piece.surface.size_mm.map((v) => f.number(v, 1)).join(' × ') }} mm</dd>
      <dt>Volume</dt>
      <dd class="num">{{ f.number(piece.surface.volume_mm3 / 1000, 2) }} cm³</dd>
      <dt>Surface</dt>
      <dd class="num">{{ f.number(piece.surface.area_mm2 / 100, 1) }} cm²</dd>
      <dt>Triangles</dt>
      <dd class="num">{{ f.number(piece.surface.triangles) }}</dd>
      <dt>Bodies</dt>
      <dd class="num">{{ piece.surface.bodies }}</dd>
      <dt>Skin</dt>
      <dd>
        {{ piece.surface.closed ? 'closed' : 'open' }},
        {{ piece.surface.oriented ? 'facing one way' : 'partly turned' }}
      </dd>
    </template>
    <dt>File</dt>
    <dd>
      <a :href="`/api/pieces/${piece.id}/file?version=1`">{{ piece.name }}</a>
    </dd>
    <dt>Copies</dt>
    <dd class="num">{{ piece.copies }}</dd>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 1px 12px;
  font-size: 0.92rem;
}
dt {
  color: var(--quiet);
}
dd {
  overflow-wrap: anywhere;
}
.wrap {
  white-space: normal;
}
</style>
