import { afterEach, it } from 'vitest'
import { home, walk } from '../test-walk'

// The drawers of the house, the counter, and what a member has.
afterEach(home)
it.each([
  ['tess', '/house'],
  ['tess', '/house', 'Materials'],
  ['tess', '/house', 'Recipes'],
  ['tess', '/house', 'Rules'],
  ['tess', '/house', 'Finishing'],
  ['tess', '/house', 'Messages'],
  ['tess', '/house', 'People'],
  ['tess', '/house', 'Hours and fees'],
  ['cato', '/house', 'Workers'],
  ['cato', '/house', 'Machines'],
  ['cato', '/house', 'Hours and fees'],
  ['cato', '/house', 'Finishing'],
  ['cato', '/house', 'Messages'],
  ['cato', '/counter/1'],
  ['cato', '/counter/5'],
  ['nia', '/shelf'],
  ['nia', '/job/1'],
  ['nia', '/bench/1'],
] as [string, string, string?][])('%s at %s %s', (who, path, drawer) => walk(who, path, drawer))
