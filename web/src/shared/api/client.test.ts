import { expect, test, vi } from 'vitest'
import { api, ApiError, csrfWord, need, onSignedOut, rememberCsrf } from './index'

const answering = (status: number, body: unknown) =>
  need(Promise.resolve({ error: body, response: new Response(null, { status }) }))
const refused = (code: string, message = 'A sentence.') => ({ error: { code, message, field: '' } })
const caught = (promise: Promise<unknown>) =>
  promise.then(
    () => {
      throw new Error('was not refused')
    },
    (error: unknown) => error as ApiError,
  )

test('an answer is its data; one that says nothing is nothing', async () => {
  expect(await need(Promise.resolve({ data: { n: 1 }, response: new Response() }))).toEqual({ n: 1 })
  expect(await need(Promise.resolve({ response: new Response(null, { status: 204 }) }))).toBeUndefined()
})

test.each([
  [503, 'database_away', { passing: true, needsSignIn: false }],
  [429, 'too_many_tries', { passing: true, needsSignIn: false }],
  [507, 'no_room', { passing: true, needsSignIn: false }],
  [500, 'unexpected', { passing: true, needsSignIn: false }],
  [401, 'signed_out', { passing: false, needsSignIn: true }],
  [403, 'csrf_missing', { passing: false, needsSignIn: true }],
  [403, 'not_allowed', { passing: false, needsSignIn: false }],
  [422, 'input_invalid', { passing: false, needsSignIn: false }],
])('%s %s: whether trying again helps, or signing in', async (status, code, expected) => {
  const error = await caught(answering(status, refused(code)))
  expect(error).toBeInstanceOf(ApiError)
  expect({ passing: error.passing, needsSignIn: error.needsSignIn }).toEqual(expected)
  expect([error.status, error.code, error.message]).toEqual([status, code, 'A sentence.'])
})

test('a server that is not reached, and one that answers no sense', async () => {
  const away = await caught(need(Promise.reject(new TypeError('Failed to fetch'))))
  expect([away.status, away.code, away.passing]).toEqual([0, 'unreachable', true])
  const odd = await caught(answering(502, '<html>'))
  expect([odd.code, odd.message, odd.passing]).toEqual(['unknown', 'HTTP 502', true])
})

test('whoever asked to know is told that nobody is signed in, once for each answer', async () => {
  const told = vi.fn()
  const stop = onSignedOut(told)
  await caught(answering(401, refused('signed_out')))
  await caught(answering(422, refused('input_invalid')))
  expect(told).toHaveBeenCalledOnce()
  stop()
  await caught(answering(401, refused('signed_out')))
  expect(told).toHaveBeenCalledOnce()
})

test('what changes something carries the word of the session, what only reads does not', async () => {
  const sent: Request[] = []
  vi.stubGlobal('fetch', (request: Request) => {
    sent.push(request)
    return Promise.resolve(new Response('{}', { headers: { 'Content-Type': 'application/json' } }))
  })
  rememberCsrf('word')
  expect(csrfWord()).toBe('word')
  await api.GET('/api/about')
  await api.POST('/api/session/sign-out')
  expect(sent.map(({ headers }) => headers.get('X-Low-Hiss-CSRF'))).toEqual([null, 'word'])
  rememberCsrf('')
  vi.unstubAllGlobals()
})
