import { answered, didNotAnswer } from './hooks/reach'
import { isAttended } from './presence'

/** What the server says when it does not do what was asked (RFC 9457). */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    readonly title: string,
    readonly detail: string,
    readonly errors: readonly { path: string; message: string }[],
    readonly body: Record<string, unknown>,
  ) {
    super(detail)
  }
}

async function problemOf(response: Response): Promise<ApiProblem> {
  const body = (await response.json().catch(() => ({}))) as {
    type?: string
    title?: string
    detail?: string
    errors?: { path: string; message: string }[]
  }
  return new ApiProblem(
    response.status,
    (body.type ?? '').replace('urn:bugle:problem:', ''),
    body.title ?? 'The server could not do it',
    body.detail ?? `It answered ${response.status}.`,
    body.errors ?? [],
    body as Record<string, unknown>,
  )
}

let askIdentity: (() => Promise<boolean>) | undefined

/** How the person is asked to show the password again. Returns how to stop. */
export function askIdentityWith(ask: () => Promise<boolean>): () => void {
  askIdentity = ask
  return () => {
    if (askIdentity === ask) askIdentity = undefined
  }
}

/** The answer, once it is one: what the server does not do is thrown. */
async function answer(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
  isAgain = false,
): Promise<Response> {
  let response: Response
  try {
    response = await fetch(path.startsWith('/api') ? path : `/api/v1${path}`, {
      method,
      headers: {
        ...(body === undefined || body instanceof Blob ? {} : { 'content-type': 'application/json' }),
        ...(isAttended() ? {} : { 'x-bugle-unattended': '1' }),
      },
      ...(body === undefined ? {} : { body: body instanceof Blob ? body : JSON.stringify(body) }),
      ...(signal ? { signal } : {}),
    })
  } catch (error) {
    if (signal?.aborted) throw error
    didNotAnswer('server')
    throw new ApiProblem(
      0,
      'out-of-reach',
      'Bugle is out of reach',
      'The server does not answer. Runs go on without this page; it tries again by itself.',
      [],
      {},
    )
  }
  if (response.status === 401 && !path.startsWith('/api')) {
    const here = window.location.pathname + window.location.search
    window.location.assign(`/sign-in?to=${encodeURIComponent(here)}`)
  }
  if (!response.ok) {
    const problem = await problemOf(response)
    if (problem.code === 'database-away') didNotAnswer('database')
    // Once it is known who is there, what was asked is asked again.
    if (problem.code === 'confirm-first' && !isAgain && askIdentity && (await askIdentity()))
      return answer(method, path, body, signal, true)
    throw problem
  }
  answered()
  return response
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await answer(method, path, body)
  return (response.status === 204 ? undefined : await response.json()) as T
}

export const api = {
  get: <T>(path: string): Promise<T> => call<T>('GET', path),
  /** An answer to be read while it comes. */
  open: (path: string, signal: AbortSignal): Promise<Response> => answer('GET', path, undefined, signal),
  post: <T = void>(path: string, body: unknown = {}): Promise<T> => call<T>('POST', path, body),
  /** A file as it is. */
  postText: <T>(path: string, text: string): Promise<T> =>
    call<T>('POST', path, new Blob([text], { type: 'text/plain' })),
  put: <T = void>(path: string, body: unknown): Promise<T> => call<T>('PUT', path, body),
  patch: <T = void>(path: string, body: unknown): Promise<T> => call<T>('PATCH', path, body),
  delete: <T = void>(path: string): Promise<T> => call<T>('DELETE', path),
}

/** A query string of what is set. */
export function queryOf(values: Record<string, string | number | undefined | null>): string {
  const search = new URLSearchParams()
  for (const [key, value] of Object.entries(values))
    if (value !== undefined && value !== null && value !== '') search.set(key, String(value))
  const text = search.toString()
  return text === '' ? '' : `?${text}`
}
