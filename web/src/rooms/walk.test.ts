import { afterEach, it } from 'vitest'
import { home, walk } from '../test-walk'

// The rooms, as the coordinator.
afterEach(home)
it.each([
  ['cato', '/shelf'],
  ['cato', '/shelf/finishing'],
  ['cato', '/job/7'],
  ['cato', '/bench/9'],
  ['cato', '/bench/7'],
  ['cato', '/floor'],
  ['cato', '/machine/1'],
  ['cato', '/machine/3'],
  ['cato', '/stores'],
] as [string, string, string?][])('%s at %s %s', (who, path, drawer) => walk(who, path, drawer))
