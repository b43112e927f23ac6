import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { formats } from './format'

// Blanks that do not break differ between versions of the locale data.
const plain = (s: string) => s.replace(/[\u00a0\u202f]/g, ' ')

describe('numbers as the house writes them', () => {
  it.each([
    ['en-GB', 'EUR', '€12.34', '1,234.50', '3.50 m'],
    ['de-DE', 'EUR', '12,34 €', '1.234,50', '3,50 m'],
    ['fr-CH', 'CHF', '12.34 CHF', '1 234,50', '3,50 m'],
  ])('%s, %s', (locale, currency, money, number, metres) => {
    const f = formats(locale, currency, 'UTC')
    expect(plain(f.money(1234))).toBe(money)
    expect(plain(f.number(1234.5, 2))).toBe(number)
    expect(plain(f.metres(3.5))).toBe(metres)
  })
  const f = formats('en-GB', 'EUR', 'UTC')
  it('says nothing of what nobody knows', () => {
    expect([
      f.money(undefined),
      f.grams(undefined),
      f.metres(undefined),
      f.duration(undefined),
      f.day(undefined),
      f.day(''),
      f.moment(undefined),
      f.soon(undefined),
      f.clock(undefined),
    ]).toEqual(Array(9).fill('–'))
    expect(f.money(0)).toBe('€0.00')
    expect(f.grams(0)).toBe('0.0 g')
  })
  it.each([
    [99.94, '99.9 g'],
    [100, '100 g'],
    [1234.5, '1,235 g'],
  ])('%d g', (g, text) => expect(f.grams(g)).toBe(text))
  it.each([
    [0.2, '0.20 mm'],
    [99.99, '99.99 mm'],
    [100, '100.0 mm'],
  ])('%d mm', (mm, text) => expect(f.mm(mm)).toBe(text))
  it.each([
    [0, '1 min'],
    [89, '1 min'],
    [90, '2 min'],
    [3569, '59 min'],
    [3570, '1 h 00 min'],
    [3 * 3600 + 119, '3 h 02 min'],
    [100 * 3600, '100 h 00 min'],
  ])('%d s', (s, text) => expect(f.duration(s)).toBe(text))
})

describe('days and times where the house is', () => {
  it.each(['America/Los_Angeles', 'UTC', 'Europe/Berlin', 'Pacific/Auckland'])('a day is a day in %s', (zone) => {
    expect(formats('en-GB', 'EUR', zone).day('2026-12-01')).toBe('Tue 1 Dec')
  })
  it.each([
    ['America/Los_Angeles', 'Tue 1 Dec', '16:30'],
    ['UTC', 'Wed 2 Dec', '00:30'],
    ['Pacific/Auckland', 'Wed 2 Dec', '13:30'],
  ])('a moment is one of %s', (zone, day, clock) => {
    const f = formats('en-GB', 'EUR', zone)
    expect(f.dayOf('2026-12-02T00:30:00Z')).toBe(day)
    expect(f.clock('2026-12-02T00:30:00Z')).toBe(clock)
    expect(f.moment('2026-12-02T00:30:00Z')).toContain(clock)
    expect(f.moment('2026-12-02T00:30:00Z')).toContain(day)
  })
  it('the clock goes with summer time', () => {
    const f = formats('en-GB', 'EUR', 'Europe/Berlin')
    expect(f.clock('2026-03-29T00:59:00Z')).toBe('01:59')
    expect(f.clock('2026-03-29T01:00:00Z')).toBe('03:00')
    expect(f.clock('2026-10-25T00:59:00Z')).toBe('02:59')
    expect(f.clock('2026-10-25T01:00:00Z')).toBe('02:00')
  })
  describe('soon', () => {
    beforeEach(() => void vi.useFakeTimers({ now: new Date('2026-11-24T11:00:00Z') }))
    afterEach(() => void vi.useRealTimers())
    const f = formats('en-GB', 'EUR', 'UTC')
    it.each([
      ['2026-11-24T12:00:00Z', 'Tue 12:00'],
      ['2026-11-30T10:59:59Z', 'Mon 10:59'],
    ])('%s within six days by its weekday', (iso, text) => expect(f.soon(iso)).toBe(text))
    it.each(['2026-11-30T11:00:00Z', '2026-12-01T11:00:00Z'])('%s beyond by its date', (iso) => {
      expect(f.soon(iso)).toBe(f.moment(iso))
      expect(f.soon(iso)).toMatch(/\d (Nov|Dec)/)
    })
  })
})
