import { QueryClient } from '@tanstack/react-query'
import { afterEach, expect, test, vi } from 'vitest'
import { unitsQuery } from '../shared/api'
import { knowScripts } from './scripts'

const unit = (id: string) => ({ id, rules: 'us-cdl', procedure: 'static-only', status: null })

const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } })

afterEach(() => vi.unstubAllGlobals())

async function asked(first: () => Response): Promise<string[]> {
  const seen: string[] = []
  vi.stubGlobal('fetch', (request: Request) => {
    const [, id] = /units\/(\w+)\/script/.exec(request.url) ?? []
    if (!id) return Promise.resolve(json({}))
    seen.push(id)
    return Promise.resolve().then(() => (id === 'one' ? first() : json({ format: 'low-hiss-script/6' })))
  })
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  queries.setQueryData(unitsQuery().queryKey, ['one', 'other'].map(unit) as never)
  await knowScripts(queries)
  return [...new Set(seen)]
}

test('a unit that has no script keeps no other from having its own', async () => {
  const error = { code: 'choice_unknown', message: 'rules: is none.', field: 'rules' }
  expect(await asked(() => json({ error }, 422))).toEqual(['one', 'other'])
})

test('without contact the rest waits for the next time', async () => {
  const lost = () => {
    throw new TypeError('no network')
  }
  expect(await asked(lost)).toEqual(['one'])
})
