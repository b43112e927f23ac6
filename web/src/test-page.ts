import { expect } from 'vitest'

/** What is on the page, an element a line: what it is, what it says, how it is drawn. */
export function page(e: Element, indent = ''): string {
  if (e.matches('.v-progress-linear')) return ''
  const mine = [...e.classList].filter((c) => !c.startsWith('v-')).map((c) => `.${c}`)
  const set = [...e.attributes]
    .filter(
      (a) =>
        !/^(class|id|for|data-v-.*|data-(activated|is-hidden|previous-position)|aria-(describedby|controls|owns|labelledby))$/.test(
          a.name,
        ) &&
        !(a.name === 'd' && e.closest('.v-icon')) &&
        !(a.name === 'style' && (!a.value || [...e.classList].some((c) => c.startsWith('v-')))),
    )
    .map((a) => (a.value ? `${a.name}=${a.value}` : a.name))
  const typed =
    e instanceof HTMLInputElement || e instanceof HTMLTextAreaElement || e instanceof HTMLSelectElement
      ? [`"${e.value}"${(e as HTMLInputElement).checked ? ' ✓' : ''}`]
      : []
  if (e.scrollLeft || e.scrollTop) set.push(`at ${Math.round(e.scrollLeft)} ${Math.round(e.scrollTop)}`)
  const says = [...e.childNodes]
    .filter((n) => n.nodeType === Node.TEXT_NODE)
    .map((n) => n.textContent!.trim())
    .filter(Boolean)
  const line =
    !e.localName.endsWith('-stub') && mine.length + set.length + typed.length + says.length
      ? `${indent}${e.localName}${mine.join('')} ${[...set, ...typed, ...says].join(' ')}\n`
      : ''
  return line + [...e.children].map((c) => page(c, line ? `${indent} ` : indent)).join('')
}
/** The tests say what is right; this says that nothing moved. */
export const asItWas = () => expect('\n' + page(document.body)).toMatchSnapshot()
