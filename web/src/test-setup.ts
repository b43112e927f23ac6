import { configure } from '@testing-library/vue'

// What is waited for comes when the machine has time for it.
configure({ asyncUtilTimeout: 30_000 })
// jsdom has no ResizeObserver; Vuetify wants one.
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
}
// Nor a visual viewport.
globalThis.visualViewport ??= Object.assign(new EventTarget(), {
  width: 1280,
  height: 800,
  offsetLeft: 0,
  offsetTop: 0,
  pageLeft: 0,
  pageTop: 0,
  scale: 1,
}) as VisualViewport
