// jsdom has no ResizeObserver; Vuetify wants one.
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
}
