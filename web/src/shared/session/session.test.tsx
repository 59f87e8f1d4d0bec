import { afterEach, expect, test, vi } from 'vitest'
import { api, csrfWord, need, onSignedOut, ApiError } from '../api'
import { fetchMe, lastMe } from './session'

const me = { person: { name: 'Ines Aldous' }, csrf: 'word', may: ['beginRun'], demo_people: [] }
const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } })
const answers = (...given: Response[]) => {
  const asked: Request[] = []
  vi.stubGlobal('fetch', (request: Request) => {
    asked.push(request)
    return Promise.resolve(given.shift())
  })
  return asked
}

afterEach(() => vi.unstubAllGlobals())

test('who was here last is remembered for a start without contact, the secret word is not', async () => {
  answers(json(me))
  await fetchMe()
  expect(csrfWord()).toBe('word')
  expect(lastMe()?.person?.name).toBe('Ines Aldous')
  expect(JSON.stringify({ ...localStorage })).not.toContain('word')
})

test('writes carry the word of the session, reads do not', async () => {
  const asked = answers(json(me), json({}), new Response(null, { status: 204 }))
  await fetchMe()
  await need(api.GET('/api/about'))
  await need(api.POST('/api/session/sign-out'))
  expect(asked.map((request) => request.headers.get('X-Low-Hiss-CSRF'))).toEqual([null, null, 'word'])
})

test.each([
  [401, 'signed_out', true],
  [403, 'csrf_missing', true],
  [403, 'not_allowed', false],
  [422, 'input_invalid', false],
])('%s %s asks for a sign-in: %s', async (status, code, wanted) => {
  const heard = vi.fn()
  const stop = onSignedOut(heard)
  answers(json({ error: { code, message: 'why.', field: '' } }, status))
  const error = await need(api.GET('/api/log')).catch((caught: unknown) => caught)
  expect(error).toBeInstanceOf(ApiError)
  expect(error).toMatchObject({ status, code, message: 'why.' })
  expect(heard.mock.calls.length > 0).toBe(wanted)
  stop()
})

test('a server that is not reached and one that asks to wait are worth another try', () => {
  const passing = (status: number) => new ApiError(status, '', '').passing
  expect([0, 429, 500, 503, 400, 404, 409, 422].map(passing)).toEqual([
    true,
    true,
    true,
    true,
    false,
    false,
    false,
    false,
  ])
})
