import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { defineComponent, h } from 'vue'
import { useKeys } from './keys'

const press = (key: string, shiftKey = false) =>
  window.dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true, cancelable: true }))

describe('keys', () => {
  it('with Shift go before the same without, whoever came last; without one they are the same', () => {
    const did: string[] = []
    let here = true
    const keys = (title: string, all: string[]) =>
      defineComponent({
        setup() {
          useKeys(
            title,
            all.map((key) => ({
              key,
              does: key,
              run: () => did.push(`${title} ${key}`),
              when: () => !key.startsWith('Shift') || here,
            })),
          )
          return () => h('i')
        },
      })
    const first = mount(keys('plate', ['Shift+ArrowUp', 'Shift+q', 'q']))
    const last = mount(keys('strip', ['ArrowUp', 'q']))
    press('ArrowUp')
    press('ArrowUp', true)
    press('Q', true)
    press('q')
    here = false
    press('ArrowUp', true)
    press('Q', true)
    last.unmount()
    press('q')
    press('ArrowUp')
    first.unmount()
    press('q')
    expect(did).toEqual([
      'strip ArrowUp',
      'plate Shift+ArrowUp',
      'plate Shift+q',
      'strip q',
      'strip ArrowUp',
      'strip q',
      'plate q',
    ])
  })
})
