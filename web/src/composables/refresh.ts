import type { QueryClient } from '@tanstack/vue-query'

/**
 * Makes what shows a key load anew. A first load that is still under way may have
 * been answered before the change, and asking again would join it: it is asked
 * once more when it has come.
 */
export async function refresh(queries: QueryClient, queryKey: readonly unknown[]) {
  const early = queries
    .getQueryCache()
    .findAll({ queryKey })
    .some((q) => q.state.fetchStatus === 'fetching' && q.state.data === undefined)
  await queries.invalidateQueries({ queryKey })
  if (early) await queries.invalidateQueries({ queryKey })
}
