'use client'
import { useQueryClient } from '@tanstack/react-query'
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react'

interface Change {
  readonly runs: number[]
  readonly all: boolean
  readonly fleet: boolean
  readonly matters: boolean
  readonly jobs: boolean
  readonly items: boolean
  readonly reports: boolean
  readonly timing: boolean
}

interface Live {
  readonly connected: boolean
  readonly paused: boolean
  readonly setPaused: (paused: boolean) => void
  readonly paceSeconds: number
  readonly setPaceSeconds: (seconds: number) => void
}

const LiveContext = createContext<Live>({
  connected: false,
  paused: false,
  setPaused: () => undefined,
  paceSeconds: 1,
  setPaceSeconds: () => undefined,
})

/** What changes with every run: lists that show how runs went. Names, editors and what is chosen from do not. Keys begin with the kind of thing they hold. */
const RUN_KINDS = new Set<unknown>(['runs', 'lanes', 'ended', 'counts', 'agents', 'robots', 'systems'])
function changesWithRuns([kind, of, ...more]: readonly unknown[]): boolean {
  if (kind === 'jobs') return of === undefined
  // Lists by their filters, and of one trigger its history and its machines.
  if (kind === 'triggers') return more.length > 0
  return RUN_KINDS.has(kind)
}

/** Which kinds of query any other change makes stale. */
function staleKinds(change: Change): string[] {
  const kinds: string[] = []
  if (change.fleet)
    kinds.push(
      'agents',
      'agent-names',
      'robots',
      'accounts',
      'lanes',
      'pools',
      'enrolments',
      'engines',
      'kinds',
      'systems',
      'system-choices',
      'allowances',
    )
  if (change.matters) kinds.push('matters', 'day', 'systems')
  if (change.jobs) kinds.push('jobs', 'areas', 'triggers', 'systems')
  if (change.items) kinds.push('queues', 'items')
  if (change.reports) kinds.push('reports')
  if (change.timing) kinds.push('triggers', 'calendars', 'coming', 'starts', 'missed')
  return kinds
}

/** Listens to the server's events and asks again for what changed, at the pace the person has set, or not at all while paused. */
export function LiveProvider({
  paceSeconds: given,
  children,
}: {
  paceSeconds: number
  children: ReactNode
}): ReactNode {
  const client = useQueryClient()
  const [connected, setConnected] = useState(true)
  const [paused, setPaused] = useState(false)
  const [paceSeconds, setPaceSeconds] = useState(given)
  const waiting = useRef(new Set<string>())
  const runs = useRef(new Set<number>())
  const everything = useRef(false)
  const wasCut = useRef(false)

  useEffect(() => {
    const source = new EventSource('/api/v1/live')
    source.onopen = () => setConnected(true)
    source.onerror = () => {
      setConnected(false)
      wasCut.current = true
    }
    source.onmessage = (event: MessageEvent<string>) => {
      const change = JSON.parse(event.data) as Change
      for (const kind of staleKinds(change)) waiting.current.add(kind)
      for (const id of change.runs) runs.current.add(id)
      everything.current ||= change.all
    }
    return () => source.close()
  }, [])

  useEffect(() => {
    if (paused || !connected) return
    const refresh = (): void => {
      // What happened while the stream was cut was told to nobody here: everything in sight is asked for again.
      if (wasCut.current) void client.invalidateQueries()
      wasCut.current = false
      const kinds = waiting.current
      waiting.current = new Set()
      const ids = runs.current
      const all = everything.current
      const isRuns = ids.size > 0 || all
      if (kinds.size > 0 || isRuns)
        void client.invalidateQueries({
          predicate: ({ queryKey }) => kinds.has(String(queryKey[0])) || (isRuns && changesWithRuns(queryKey)),
        })
      runs.current = new Set()
      everything.current = false
      if (all) void client.invalidateQueries({ queryKey: ['run'] })
      else for (const id of ids) void client.invalidateQueries({ queryKey: ['run', id] })
    }
    const timer = setInterval(refresh, paceSeconds * 1000)
    return () => clearInterval(timer)
  }, [client, paused, connected, paceSeconds])

  const live = useMemo(
    () => ({ connected, paused, setPaused, paceSeconds, setPaceSeconds }),
    [connected, paused, paceSeconds],
  )
  return <LiveContext.Provider value={live}>{children}</LiveContext.Provider>
}

export const useLive = (): Live => useContext(LiveContext)
