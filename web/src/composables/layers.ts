import { computed, onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import type { SliceView } from '../api/client'
import type { PathLayer } from '../components/partScene'

/** The layers of a plate of a slice, fetched when it is shown, with what is drawn of them. */
export function useLayers(slice: Ref<SliceView | undefined>, plate: Ref<number> = ref(1)) {
  const layers = shallowRef<PathLayer[]>()
  const at = ref(0)
  const kinds = ref(new Set([0, 1, 2, 3, 4, 5, 6, 7]))
  const upTo = ref(1)
  let newest = 0
  const height = computed(() => layers.value?.[at.value]?.top)
  /** Goes to the layer at a height, mm. */
  function goTo(mm: number) {
    const i = layers.value?.findIndex((l) => l.top >= mm - 1e-3) ?? -1
    at.value = i < 0 ? Math.max(0, (layers.value?.length ?? 1) - 1) : i
  }
  watch(
    [() => slice.value?.id, plate] as const,
    async ([id, n]) => {
      const mine = ++newest
      if (!id) {
        layers.value = undefined
        return
      }
      const { readLayers } = await import('../components/partScene')
      const answer = await fetch(`/api/slices/${id}/layers?plate=${n}`)
      if (!answer.ok || mine !== newest) return
      const got = readLayers(await answer.arrayBuffer())
      if (mine !== newest) return // another slice was asked for meanwhile
      const first = layers.value === undefined
      layers.value = got
      at.value = first ? Math.floor(got.length / 2) : Math.min(at.value, got.length - 1)
    },
    { immediate: true },
  )

  // Playing draws the layer along its way, then the next.
  let timer = 0
  const playing = ref(false)
  function play() {
    playing.value = !playing.value
    cancelAnimationFrame(timer)
    if (!playing.value) {
      upTo.value = 1
      return
    }
    let began = performance.now()
    const step = () => {
      upTo.value = Math.min(1, (performance.now() - began) / 3000)
      if (upTo.value === 1 && layers.value && at.value + 1 < layers.value.length) {
        at.value++
        began = performance.now()
      } else if (upTo.value === 1) playing.value = false
      if (playing.value) timer = requestAnimationFrame(step)
    }
    step()
  }
  onScopeDispose(() => {
    newest++
    cancelAnimationFrame(timer)
  })

  const shown = computed(() => {
    const layer = layers.value?.[at.value]
    const many = slice.value?.plates.some((p) => p.spots.length > 1) ?? false
    return (
      layer && {
        layer,
        kinds: kinds.value,
        upTo: upTo.value,
        many,
        body: !many && slice.value?.plates.length === 1,
      }
    )
  })
  function toggle(kind: number) {
    const next = new Set(kinds.value)
    if (!next.delete(kind)) next.add(kind)
    kinds.value = next
  }
  return { at, height, goTo, shown, kinds, toggle, play, playing, layers }
}
