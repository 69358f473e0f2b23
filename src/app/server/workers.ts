import { join } from 'node:path'
import Piscina from 'piscina'
import { Problem, type FieldFault, type ProblemCode } from '@/service/base/problem'
import type { SignedIn } from '@/service/people/sessions'
import { limit } from '@/store/limits'
import { organisation } from '@/store/organisation'
import { readText, type Endpoint } from './endpoint'

/** A request for a worker thread: all of it as data. */
export interface Task {
  readonly method: string
  readonly url: string
  readonly headers: readonly (readonly [string, string])[]
  readonly text: string | null
  readonly segments: readonly string[]
  readonly signedIn: SignedIn
  readonly organisation: number
}

export type Answer =
  | {
      readonly status: number
      readonly headers: readonly (readonly [string, string])[]
      readonly body: ArrayBuffer | null
    }
  | {
      readonly problem: {
        readonly code: ProblemCode
        readonly detail: string
        readonly errors: readonly FieldFault[]
        readonly extra: Readonly<Record<string, unknown>>
      }
    }

/** Connections to the database of one thread: a transaction, and what is read beside it. */
const CONNECTIONS = '3'
const MEMORY_MIB = 1024

const holder = globalThis as typeof globalThis & { bugleWorkers?: { pool: Piscina; waiting: Map<string, number> } }

function workers(): { pool: Piscina; waiting: Map<string, number> } {
  if (holder.bugleWorkers) return holder.bugleWorkers
  const pool = new Piscina({
    filename: join(/* turbopackIgnore: true */ process.env.BUGLE_DIST ?? join(process.cwd(), 'dist'), 'worker.cjs'),
    name: 'answer',
    minThreads: 0,
    maxThreads: limit('computation_threads'),
    idleTimeout: 120_000,
    // Between requests a thread still looks after its connections.
    atomics: 'disabled',
    resourceLimits: { maxOldGenerationSizeMb: MEMORY_MIB },
    env: { ...process.env, BUGLE_POOL_SIZE: CONNECTIONS } as Record<string, string>,
  })
  // What befalls a thread between requests, such as a database that went away: the next one is another.
  pool.on('error', (error: unknown) => process.stderr.write(`A worker thread ended: ${String(error)}\n`))
  holder.bugleWorkers = { pool, waiting: new Map() }
  return holder.bugleWorkers
}

/**
 * Answers a request that may take long in a thread of its own, so that all others are answered meanwhile. One person has only so many at once; one that takes longer than
 * it may is given up, and its transaction with it.
 */
export async function inWorker(
  endpoint: Endpoint,
  request: Request,
  segments: readonly string[],
  signedIn: SignedIn,
): Promise<Response> {
  const { pool, waiting } = workers()
  const who = `${organisation()} ${signedIn.actor.id}`
  const count = waiting.get(who) ?? 0
  const most = limit('computations_per_person')
  if (count >= most)
    throw new Problem(
      'too-many',
      `${count} computations of yours are not done yet, the most there may be. Wait a moment.`,
    )
  waiting.set(who, count + 1)
  try {
    const task: Task = {
      method: request.method,
      url: request.url,
      headers: [...request.headers],
      text: endpoint.body ? await readText(request, endpoint.maxBytes) : null,
      segments,
      signedIn,
      organisation: organisation(),
    }
    const timeout = AbortSignal.timeout(limit('computation_seconds') * 1000)
    // Whoever leaves wants no answer any more; what they saved is saved all the same.
    const isRead = request.method === 'GET' || endpoint.reads
    const signal = isRead ? AbortSignal.any([request.signal, timeout]) : timeout
    const answer = (await pool.run(task, { signal })) as Answer
    if ('problem' in answer) {
      const { code, detail, errors, extra } = answer.problem
      throw new Problem(code, detail, errors, extra)
    }
    return new Response(answer.body, { status: answer.status, headers: answer.headers as [string, string][] })
  } catch (error) {
    if (!isGivenUp(error)) throw error
    throw new Problem(
      'too-much',
      `It took longer than ${limit('computation_seconds')} seconds or more memory than there is, and was given up. Nothing was changed; ask for less at once.`,
    )
  } finally {
    const left = (waiting.get(who) ?? 1) - 1
    if (left > 0) waiting.set(who, left)
    else waiting.delete(who)
  }
}

function isGivenUp(error: unknown): boolean {
  const { name, code } = error as { name?: string; code?: string }
  return name === 'AbortError' || name === 'TimeoutError' || code === 'ERR_WORKER_OUT_OF_MEMORY'
}
