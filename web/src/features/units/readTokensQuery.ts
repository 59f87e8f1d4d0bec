import { queryOptions } from '@tanstack/react-query'
import { api, need } from '../../shared/api'

export const readTokensQuery = () =>
  queryOptions({
    queryKey: ['read-tokens'],
    queryFn: ({ signal }) => need(api.GET('/api/read-tokens', { signal })),
  })
