'use client'
import { useQuery } from '@tanstack/react-query'
import { usePathname, useRouter } from 'next/navigation'
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { api } from '../api'
import { Button } from '../parts/button'
import { StateMark } from '../parts/state-mark'

interface Word {
  readonly id: number
  readonly text: string
  readonly href?: string
  readonly bad: boolean
}

const Stack = styled.div`
  position: fixed;
  left: 16px;
  bottom: 16px;
  z-index: 40;
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 380px;
`
const Card = styled.div<{ $bad: boolean }>`
  display: flex;
  align-items: center;
  gap: 9px;
  padding: 8px 10px 8px 12px;
  background: var(--sheet);
  border: 1px solid var(--line-strong);
  border-left: 4px solid ${(p) => (p.$bad ? 'var(--failed)' : 'var(--succeeded)')};
  border-radius: 3px;
  span {
    flex: 1;
    overflow-wrap: anywhere;
  }
`

const SayContext = createContext<(text: string, options?: { bad?: boolean; href?: string }) => void>(() => undefined)

/** Says a word to the person, at the edge of the screen; bad ones stay until they are put away. */
export const useSay = (): ((text: string, options?: { bad?: boolean; href?: string }) => void) => useContext(SayContext)

interface Matter {
  readonly id: number
  readonly kind: string
  readonly state: string
  readonly title: string
  readonly runId: number | null
  readonly triggerId?: number | null
  readonly agentId: number | null
  readonly lastAt: string
  readonly times: number
}

const HAPPENED: Readonly<Record<string, string>> = {
  'run-lost': 'was lost',
  'run-late': 'is late',
  'run-at-risk': 'is at risk of being late',
  'deadline-at-risk': 'is at risk of being late',
  'output-changed': 'has written something else',
}

/** Words for the person, and every new failure, once, wherever they are. F8 goes to the newest. */
export function Announcer({ children }: { children: ReactNode }): ReactNode {
  const [words, setWords] = useState<Word[]>([])
  const next = useRef(1)
  const known = useRef<Map<number, string> | null>(null)
  const router = useRouter()
  const path = usePathname()
  const say = useCallback((text: string, options: { bad?: boolean; href?: string } = {}) => {
    const id = next.current++
    setWords((before) => [
      ...before.slice(-3),
      { id, text, bad: options.bad ?? false, ...(options.href ? { href: options.href } : {}) },
    ])
    if (!options.bad) setTimeout(() => setWords((before) => before.filter((word) => word.id !== id)), 6000)
  }, [])
  const { data: matters } = useQuery({ queryKey: ['matters'], queryFn: () => api.get<Matter[]>('/matters') })

  useEffect(() => {
    if (!matters) return
    const before = known.current
    known.current = new Map(matters.map((m) => [m.id, `${m.lastAt} ${m.times}`]))
    if (!before) return
    for (const matter of matters) {
      if (before.get(matter.id) === `${matter.lastAt} ${matter.times}`) continue
      if (matter.kind === 'agent-away')
        say(`${matter.title} has not called`, { bad: true, href: `/fleet/agents/${matter.agentId}` })
      else if (matter.kind === 'deadline-at-risk')
        say(`${matter.title} ${HAPPENED[matter.kind]}`, { bad: true, href: `/timing/triggers/${matter.triggerId}` })
      // Of no run: what it is stands in its title.
      else if (matter.runId === null)
        say(matter.title, { bad: true, href: matter.agentId === null ? '/watch' : `/fleet/agents/${matter.agentId}` })
      else
        say(`${matter.title} #${matter.runId} ${HAPPENED[matter.kind] ?? 'failed'}`, {
          bad: true,
          href: `/runs/${matter.runId}`,
        })
    }
  }, [matters, say])

  useEffect(() => setWords((before) => before.filter((word) => word.href !== path)), [path])
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.key !== 'F8') return
      const newest = words.findLast((word) => word.href)
      if (newest?.href) {
        event.preventDefault()
        setWords((before) => before.filter((word) => word.id !== newest.id))
        router.push(newest.href)
      }
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [words, router])

  const away = (id: number): void => setWords((before) => before.filter((word) => word.id !== id))
  const region = useMemo(() => words, [words])
  return (
    <SayContext.Provider value={say}>
      {children}
      <Stack role="region" aria-label="Announcements" aria-live="assertive" data-noprint>
        {region.map((word) => (
          <Card key={word.id} $bad={word.bad}>
            <StateMark mark={word.bad ? 'failed' : 'succeeded'} />
            <span>{word.text}</span>
            {word.href && (
              <Button
                onPress={() => {
                  away(word.id)
                  router.push(word.href as string)
                }}
              >
                Open <kbd>F8</kbd>
              </Button>
            )}
            <Button kind="quiet" aria-label="Put away" onPress={() => away(word.id)}>
              ×
            </Button>
          </Card>
        ))}
      </Stack>
    </SayContext.Provider>
  )
}
