'use client'
import { useQueryClient } from '@tanstack/react-query'
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react'

interface Change {
  readonly runs: number[]
  readonly all: boolean
  readonly fleet: boolean
  readonly matters: boolean
  readonly jobs: boolean
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

/** Which queries a change makes stale. Keys begin with the kind of thing they hold. */
function staleKeys(change: Change): string[][] {
  const keys: string[][] = []
  if (change.runs.length > 0 || change.all)
    keys.push(['runs'], ['lanes'], ['ended'], ['counts'], ['agents'], ['jobs'], ['triggers'])
  if (change.fleet) keys.push(['agents'], ['lanes'], ['pools'], ['enrolments'], ['engines'])
  if (change.matters) keys.push(['matters'], ['day'])
  if (change.jobs) keys.push(['jobs'], ['areas'], ['triggers'])
  if (change.timing) keys.push(['triggers'], ['calendars'], ['coming'], ['starts'], ['missed'])
  return keys
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
  const waiting = useRef(new Map<string, string[]>())
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
      for (const key of staleKeys(change)) waiting.current.set(key.join(), key)
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
      const keys = [...waiting.current.values()]
      waiting.current.clear()
      for (const queryKey of keys) void client.invalidateQueries({ queryKey })
      const ids = runs.current
      const all = everything.current
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
