import createClient from 'openapi-fetch'
import type { components, paths } from './schema.gen'

export type Schema = components['schemas']

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => globalThis.fetch(request),
})

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
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The data of an answer, or an ApiError with the server's sentence. */
export async function need<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await request
  } catch (cause) {
    throw new ApiError(0, 'unreachable', cause instanceof Error ? cause.message : 'unreachable')
  }
  if (answer.data !== undefined) return answer.data
  const body = answer.error as { error?: { code?: string; message?: string } } | undefined
  throw new ApiError(
    answer.response.status,
    body?.error?.code ?? 'unknown',
    body?.error?.message ?? `HTTP ${answer.response.status}`,
  )
}
