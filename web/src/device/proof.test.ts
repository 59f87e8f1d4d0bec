import 'fake-indexeddb/auto'
import { afterEach, expect, test, vi } from 'vitest'
import { rememberPerson } from '../shared/api'
import { canonical, forgetSessionKey, saveSessionKey, proofOf } from './proof'
import cases from './canonical.cases.gen.json'

const ines = { id: 'i', name: 'Ines Aldous', role: 'driver', language: 'en', pressure_unit: 'psi' } as const
const mark = {
  id: 'm',
  by: ines.name,
  device: 'd',
  epoch: 'e',
  mono_s: 1.5,
  wall: '2026-11-20T05:00:00.123Z',
}

afterEach(() => vi.unstubAllGlobals())

test('the text that is signed is the one that the server puts together', () => {
  for (const { value, text } of cases) expect(canonical(value)).toBe(text)
})

test('a mark is signed by the key of the session, and by none after a sign-out or for somebody else', async () => {
  const sent: Request[] = []
  vi.stubGlobal('fetch', (request: Request) => {
    sent.push(request)
    return Promise.resolve(new Response(null, { status: 204 }))
  })
  rememberPerson({ ...ines, demo: true } as never)
  await saveSessionKey('i', 'word')
  expect(sent).toHaveLength(1)
  const { id, public: point } = (await sent[0]?.json()) as { id: string; public: string }
  expect(point).toMatch(/^04[0-9a-f]{128}$/)
  const proof = await proofOf('run', mark, { type: 'note' })
  expect(proof?.key).toBe(id)
  const bytes = Uint8Array.from(point.match(/../g) ?? [], (two) => parseInt(two, 16))
  const key = await crypto.subtle.importKey('raw', bytes, { name: 'ECDSA', namedCurve: 'P-256' }, true, [
    'verify',
  ])
  const text = canonical({
    ...{ log: 'run', id: 'm', device: 'd', epoch: 'e', mono_s: 1.5, wall_ms: Date.parse(mark.wall) },
    ...{ by: ines.name, body: { type: 'note' } },
  })
  const signature = Uint8Array.from(atob(proof?.signature ?? ''), (letter) => letter.charCodeAt(0))
  const holds = await crypto.subtle.verify(
    { name: 'ECDSA', hash: 'SHA-256' },
    key,
    signature,
    new TextEncoder().encode(text),
  )
  expect(holds).toBe(true)
  // the same session has the same key, another one another
  await saveSessionKey('i', 'word')
  expect(sent).toHaveLength(1)
  await saveSessionKey('i', 'another word')
  expect((await proofOf('run', mark, {}))?.key).not.toBe(id)
  rememberPerson({ ...ines, id: 'o', name: 'Odile Ferrow' } as never)
  expect(await proofOf('run', mark, {})).toBeUndefined()
  rememberPerson({ ...ines } as never)
  await forgetSessionKey()
  expect(await proofOf('run', mark, {})).toBeUndefined()
})
