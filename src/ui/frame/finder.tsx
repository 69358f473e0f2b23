'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect, useId, useRef, useState, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { api } from '../api'
import { useLatest } from '../hooks/latest'
import { useMe, useMost } from '../hooks/me'
import { heightOf, levelOf } from '@/core/people/rights'
import { mayDo, type Right } from '@/core/people/roles'
import { Dialog } from '../parts/dialog'

interface Found {
  readonly kind: string
  readonly id: number
  readonly title: string
  readonly detail: string
}
interface Entry {
  readonly key: string
  readonly title: string
  readonly detail: string
  readonly href: string
}

const COMMANDS: readonly (Entry & { right: Right })[] = [
  { key: 'start', title: 'Go to Start', detail: 'what is yours, and first steps', href: '/start', right: 'see' },
  { key: 'c1', title: 'Go to Watch', detail: 'what needs a person', href: '/watch', right: 'see' },
  { key: 'measures', title: 'Measures', detail: 'Reports', href: '/reports/measures', right: 'see' },
  { key: 'night-log', title: 'Night log', detail: 'Watch', href: '/watch/log', right: 'see' },
  { key: 'changes', title: 'What changed', detail: 'Watch', href: '/watch/changes', right: 'see' },
  { key: 'c2', title: 'Go to Runs', detail: 'all runs', href: '/runs', right: 'see' },
  { key: 'c3', title: 'Show failed runs', detail: 'Runs', href: '/runs?state=failed,lost', right: 'see' },
  { key: 'c4', title: 'Show what runs now', detail: 'Runs', href: '/runs?state=running,ready,waiting', right: 'see' },
  { key: 'c5', title: 'Go to Work', detail: 'areas and jobs', href: '/work', right: 'see' },
  { key: 'c6', title: 'New job', detail: 'Work', href: '/work/jobs/new', right: 'design' },
  { key: 'new-flow', title: 'New flow', detail: 'Work', href: '/work/flows/new', right: 'design' },
  { key: 'shared', title: 'Shared values', detail: 'Work', href: '/work/shared', right: 'see' },
  { key: 't1', title: 'Go to Timing', detail: 'all schedules', href: '/timing', right: 'see' },
  { key: 't2', title: 'New trigger', detail: 'Timing', href: '/timing/triggers/new', right: 'design' },
  { key: 't3', title: 'Calendars', detail: 'Timing', href: '/timing/calendars', right: 'see' },
  { key: 't4', title: 'New calendar', detail: 'Timing', href: '/timing/calendars/new', right: 'design' },
  { key: 'coming', title: 'Next starts', detail: 'Timing', href: '/timing/coming', right: 'see' },
  { key: 't5', title: 'What was not started', detail: 'Timing', href: '/timing/not-started', right: 'see' },
  { key: 't6', title: 'Bring in a bundle or a crontab', detail: 'Timing', href: '/timing/exchange', right: 'design' },
  { key: 'c7', title: 'Go to Fleet', detail: 'agents and pools', href: '/fleet', right: 'see' },
  { key: 'c8', title: 'Enrol an agent', detail: 'Fleet', href: '/fleet?enrol=1', right: 'administer' },
  { key: 'accounts', title: 'Accounts', detail: 'Fleet', href: '/fleet?tab=accounts', right: 'see' },
  { key: 'locks', title: 'Locks', detail: 'Fleet', href: '/fleet?tab=locks', right: 'see' },
  { key: 'notices', title: 'Notices', detail: 'Settings', href: '/settings?tab=notices', right: 'see' },
  { key: 'c9', title: 'Settings', detail: 'yours, people, audit', href: '/settings', right: 'see' },
  {
    key: 's1',
    title: 'Your preferences',
    detail: 'Settings: zone, colours, pace, tokens',
    href: '/settings',
    right: 'see',
  },
  { key: 'mail', title: 'Mail servers', detail: 'Settings', href: '/settings?tab=mail', right: 'see' },
  { key: 's2', title: 'People', detail: 'Settings', href: '/settings?tab=people', right: 'see' },
  {
    key: 's3',
    title: 'Starts by triggers on or off',
    detail: 'Settings: Timing',
    href: '/settings?tab=timing',
    right: 'see',
  },
  { key: 's4', title: 'Engines', detail: 'Settings', href: '/settings?tab=engines', right: 'see' },
  { key: 's5', title: 'Audit', detail: 'Settings: who did what', href: '/settings?tab=audit', right: 'administer' },
]
const HREF: Record<string, (id: number, title: string) => string> = {
  run: (id) => `/runs/${id}`,
  job: (id) => `/work/jobs/${id}`,
  flow: (id) => `/work/flows/${id}`,
  agent: (id) => `/fleet/agents/${id}`,
  robot: (id) => `/fleet/robots/${id}`,
  queue: (id) => `/work/queues/${id}`,
  pool: () => '/fleet?tab=pools',
  system: (id) => `/fleet/systems/${id}`,
  area: (id) => `/work?area=${id}`,
  trigger: (id) => `/timing/triggers/${id}`,
  calendar: (id) => `/timing/calendars/${id}`,
  view: (id) => `/views/${id}`,
  report: (id) => `/reports/${id}`,
}

const Input = styled.input`
  width: 100%;
  padding: 8px 10px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--paper);
  font-size: 15px;
`
const Hit = styled.li`
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 5px 10px;
  border-radius: 2px;
  cursor: pointer;
  &[aria-selected='true'] {
    background: var(--shelf);
    box-shadow: inset 3px 0 var(--brass);
  }
  span:last-child {
    color: var(--mute);
  }
`

/** What can be started of what was found: its page opens with the question that every start asks. */
const startsOf = (found: readonly Found[]): Entry[] =>
  found
    .filter(({ kind }) => kind === 'job' || kind === 'flow' || kind === 'trigger')
    .map(({ kind, id, title, detail }) => ({
      key: `start ${kind}${id}`,
      title: `Start ${title}`,
      detail: kind === 'trigger' ? 'as its trigger would, now' : `${kind} · ${detail}`,
      href: `${HREF[kind]?.(id, title) ?? '/work'}?start=1`,
    }))

/** Every object and every command, by a few letters. */
export function Finder({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }): ReactNode {
  const [text, setText] = useState('')
  const box = useRef<HTMLInputElement>(null)
  const [chosen, setChosen] = useState<string | null>(null)
  const router = useRouter()
  const { role } = useMe()
  const most = useMost()
  const listId = useId()
  // “start till files” starts what is found by the rest; a number alone opens that run.
  const verb = /^(?:start|run)\s+(\S.*)$/i.exec(text.trim())?.[1] ?? null
  const sought = verb ?? text.trim()
  const number = /^#?(\d{1,15})$/.exec(sought)?.[1] ?? null
  const wanted = sought.toLowerCase()
  const { data: found = [], isPlaceholderData } = useQuery({
    queryKey: ['find', sought],
    queryFn: () => api.get<Found[]>(`/find?text=${encodeURIComponent(sought)}`),
    enabled: isOpen && sought.length > 0,
    placeholderData: (before) => before,
  })
  useEffect(() => {
    if (!isOpen) setText('')
  }, [isOpen])
  useEffect(() => setChosen(null), [text])

  const commands = COMMANDS.filter(
    (c) =>
      verb === null &&
      (c.right === 'administer' ? mayDo(role, c.right) : heightOf(most) >= heightOf(levelOf(c.right))) &&
      (wanted === '' || `${c.title} ${c.detail}`.toLowerCase().includes(wanted)),
  )
  // What an earlier text found stands only where it fits the new one: Enter takes what was read.
  const hits = found.filter(({ title }) => !isPlaceholderData || title.toLowerCase().includes(wanted))
  const objects =
    wanted === ''
      ? []
      : hits.map((hit) => ({
          key: `${hit.kind}${hit.id}`,
          title: hit.title,
          detail: hit.detail ? `${hit.kind} · ${hit.detail}` : hit.kind,
          href: HREF[hit.kind]?.(hit.id, hit.title) ?? '/watch',
        }))
  const starts = verb === null || heightOf(most) < heightOf('operate') ? [] : startsOf(hits)
  // Who types quickly presses Enter before anything was found.
  const byNumber =
    number === null || objects.some(({ key }) => key === `run${number}`)
      ? []
      : [{ key: 'number', title: `#${number}`, detail: 'open the run of this number', href: `/runs/${number}` }]
  // A command that is being typed stays first, whatever is found meanwhile: Enter does what was read.
  const isTyped = ({ title }: Entry): boolean => wanted !== '' && title.toLowerCase().startsWith(wanted)
  const entries: readonly Entry[] = [
    ...starts,
    ...byNumber,
    ...commands.filter(isTyped),
    ...(verb === null ? objects : []),
    ...commands.filter((command) => !isTyped(command)),
  ]
  const at = Math.max(
    0,
    entries.findIndex(({ key }) => key === chosen),
  )
  const open = (entry: Entry | undefined): void => {
    if (!entry) return
    onClose()
    router.push(entry.href)
  }
  // What is typed before the dialog has the focus is kept, and done.
  const onEarlyKey = useLatest((event: globalThis.KeyboardEvent) => {
    if (box.current?.closest('[role=dialog]')?.contains(document.activeElement)) return
    if (event.ctrlKey || event.metaKey || event.altKey) return
    if (event.key.length === 1) setText((before) => before + event.key)
    else if (event.key === 'Enter') open(entries[at])
    else if (event.key === 'Escape') onClose()
    else return
    event.preventDefault()
  })
  useEffect(() => {
    if (!isOpen) return
    window.addEventListener('keydown', onEarlyKey)
    return () => window.removeEventListener('keydown', onEarlyKey)
  }, [isOpen, onEarlyKey])
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault()
      setChosen(entries[at + (event.key === 'ArrowDown' ? 1 : -1)]?.key ?? chosen)
    } else if (event.key === 'Enter') open(entries[at])
  }
  return (
    <Dialog title="Find or do" isOpen={isOpen} onClose={onClose} width={560}>
      <Input
        ref={box}
        autoFocus
        role="combobox"
        aria-expanded="true"
        aria-controls={listId}
        aria-activedescendant={entries[at] ? `${listId}-${at}` : undefined}
        aria-label="What to find or do"
        placeholder="A job, a machine, #18204, “start till files”, or what to do"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={onKeyDown}
      />
      <ul id={listId} role="listbox" aria-label="Found">
        {entries.map((entry, i) => (
          <Hit
            key={entry.key}
            id={`${listId}-${i}`}
            role="option"
            aria-selected={i === at}
            onMouseEnter={() => setChosen(entry.key)}
            onClick={() => open(entry)}
          >
            <span>{entry.title}</span>
            <span>{entry.detail}</span>
          </Hit>
        ))}
        {entries.length === 0 && <p>Nothing is called that. Try part of a name, or a run’s number.</p>}
      </ul>
    </Dialog>
  )
}
