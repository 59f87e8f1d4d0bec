import createClient from 'openapi-fetch'
import { refusal } from '../i18n'
import type { components, paths } from './schema.gen'
import { Subscribable } from '../subscribable'

export type Schema = components['schemas']

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => globalThis.fetch(request),
})

let csrf = ''
let here: { id: string; name: string } | null = null

/** The word that writes of this session carry. */
export const rememberCsrf = (word: string): void => {
  csrf = word
}

/** Whose marks are marked on this page from here on. */
export const rememberPerson = (person: { id: string; name: string } | null | undefined): void => {
  here = person ? { id: person.id, name: person.name } : null
}

export const personHere = () => here

export const csrfWord = (): string => csrf

api.use({
  onRequest({ request }) {
    if (csrf && request.method !== 'GET') request.headers.set('X-Low-Hiss-CSRF', csrf)
    return request
  },
})

const signedOut = new Subscribable()

/** Told whenever the server says that nobody is signed in any longer. */
export const onSignedOut = signedOut.subscribe

/** The server answered with an error of its own; `status` 0 means that it was not reached at all. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message)
  }

  /** Whether the same request may succeed later without anybody changing it. */
  get passing(): boolean {
    return this.status === 0 || this.status >= 500 || this.status === 429
  }

  /** Whether it would succeed once somebody signs in again. */
  get needsSignIn(): boolean {
    return this.status === 401 || this.code === 'csrf_missing'
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The data of an answer, or an ApiError with the server's sentence in the reader's language. */
export async function need<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await request
  } catch (cause) {
    throw new ApiError(0, 'unreachable', cause instanceof Error ? cause.message : 'unreachable')
  }
  if (answer.data !== undefined) return answer.data
  if (answer.response.ok) return undefined as T // 204: nothing to say
  const body = answer.error as { error?: { code?: string; message?: string } } | undefined
  const code = body?.error?.code ?? 'unknown'
  const sentence = body?.error?.message ?? `HTTP ${answer.response.status}`
  const error = new ApiError(answer.response.status, code, refusal(code, sentence))
  if (error.needsSignIn) signedOut.tell()
  throw error
}
