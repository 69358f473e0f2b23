'use client'
import { useQuery } from '@tanstack/react-query'
import { useId, useMemo, useState, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { ALLOWED, ALLOWED_WORDS } from '@/core/fleet/allowance'
import { RUN_STATES } from '@/core/run/lifecycle'
import { KIND_WORDS } from '@/app/shared/work/words'
import { api } from '@/ui/api'
import { clock, day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { DaysButton } from '@/ui/parts/days-button'
import { useOnDemand } from '@/ui/hooks/on-demand'
import { isStretch, STRETCHES } from '@/ui/stretch-names'

export interface Token {
  readonly key: string
  readonly value: string
  readonly title: string
  /** What it changes in the address, where that is not its key alone. */
  readonly change?: Readonly<Record<string, string | null>>
}

const Bar = styled.div`
  position: relative;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 5px;
  flex: 1;
  min-width: 320px;
  min-height: 30px;
  padding: 2px 6px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  &:focus-within {
    outline: 2px solid var(--brass);
  }
  input {
    flex: 1;
    min-width: 160px;
    height: 24px;
    border: 0;
    background: transparent;
    outline: none;
  }
`
const Chip = styled.span`
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--line-strong);
  background: var(--shelf);
  border-radius: 3px;
  padding-left: 7px;
  font-size: 12px;
  line-height: 22px;
  b {
    font-weight: 600;
    margin-left: 4px;
  }
  button {
    border: 0;
    background: transparent;
    width: 24px;
    height: 24px;
    cursor: pointer;
    color: var(--mute);
  }
`
const List = styled.ul`
  position: absolute;
  left: -1px;
  right: -1px;
  top: 100%;
  z-index: 20;
  max-height: 320px;
  overflow: auto;
  margin-top: 3px;
  padding: 3px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  li {
    display: flex;
    justify-content: space-between;
    padding: 4px 8px;
    border-radius: 2px;
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--shelf);
    box-shadow: inset 3px 0 var(--brass);
  }
  small {
    color: var(--mute);
    font-size: 12px;
  }
`

/** Tokens of which several may be chosen: any of them. */
const LISTS = ['state', 'job', 'area', 'agent', 'robot', 'trigger', 'person', 'cause', 'kind']

const CAUSE_WORDS: Record<string, string> = {
  person: 'a person',
  token: 'a script',
  again: 'run again',
  trigger: 'a trigger',
}

/** All that can be filtered by, from what there is. */
function useOptions(): Token[] {
  const { data: jobs = [] } = useQuery({
    queryKey: ['jobs', 'names'],
    queryFn: () => api.get<{ id: number; title: string; area: string }[]>('/jobs'),
  })
  const { data: areas = [] } = useQuery({
    queryKey: ['areas'],
    queryFn: () => api.get<{ id: number; path: string }[]>('/areas'),
  })
  const { data: agents = [] } = useQuery({
    queryKey: ['agent-names'],
    queryFn: () => api.get<{ id: number; name: string }[]>('/agents'),
  })
  const { data: robots = [] } = useQuery({
    queryKey: ['robots', 'names'],
    queryFn: () => api.get<{ id: number; name: string }[]>('/robots'),
  })
  const { data: triggers } = useQuery({
    queryKey: ['triggers', 'names'],
    queryFn: () => api.get<{ rows: { id: number; title: string }[] }>('/triggers?sort=title&limit=200'),
  })
  const { data: people = [] } = useQuery({
    queryKey: ['people'],
    queryFn: () => api.get<{ id: number; name: string }[]>('/people'),
  })
  return useMemo(
    () => [
      ...RUN_STATES.map((state) => ({ key: 'state', value: state, title: state })),
      ...jobs.map((job) => ({ key: 'job', value: String(job.id), title: job.title })),
      ...areas.map((area) => ({ key: 'area', value: String(area.id), title: area.path })),
      ...agents.map((agent) => ({ key: 'agent', value: String(agent.id), title: agent.name })),
      ...robots.map((robot) => ({ key: 'robot', value: String(robot.id), title: robot.name })),
      ...(triggers?.rows ?? []).map((trigger) => ({ key: 'trigger', value: String(trigger.id), title: trigger.title })),
      ...people.map((person) => ({ key: 'person', value: String(person.id), title: person.name })),
      ...Object.entries(CAUSE_WORDS).map(([value, title]) => ({ key: 'cause', value, title })),
      { key: 'board', value: 'yes', title: 'on the board' },
      { key: 'holds', value: 'yes', title: 'in hand now' },
      ...Object.entries(STRETCHES).map(([value, title]) => ({
        key: 'when',
        value,
        title,
        change: { when: value, from: null, to: null },
      })),
      ...Object.entries(STRETCHES).map(([value, title]) => ({
        key: 'ended',
        value,
        title,
        change: { ended: value, endedFrom: null, endedTo: null },
      })),
      ...Object.entries(KIND_WORDS).map(([value, title]) => ({ key: 'kind', value, title })),
      ...ALLOWED.map((value) => ({ key: 'took', value, title: ALLOWED_WORDS[value] })),
    ],
    [jobs, areas, agents, robots, triggers, people],
  )
}

/** What a key is called where it is shown, and what else it may be called where it is written. */
const KEY_WORDS: Readonly<Record<string, string>> = {
  agent: 'machine',
  cause: 'by',
  holds: 'is',
  endedFrom: 'ended from',
  endedTo: 'ended before',
  ranFrom: 'running from',
  ranTo: 'running before',
}
const INSTANTS = ['from', 'to', 'endedFrom', 'endedTo', 'ranFrom', 'ranTo']
const keyWord = (key: string): string => KEY_WORDS[key] ?? key
const keyOf = (word: string): string =>
  Object.entries(KEY_WORDS).find(([key, said]) => said === word || key === word)?.[0] ?? word

/** Words between the parts of a request that say nothing of their own. */
const BETWEEN = /^(?:on|in|of|by|at|the|and|runs?|from)\b\s*/i

/** `failed last night on orrin-ops1`: several marks written one after the other, each by its whole name. Null unless all of it is understood, and there are two or more. */
export function readRequest(text: string, options: readonly Token[]): Token[] | null {
  const byLength = [...options].sort((a, b) => b.title.length - a.title.length)
  const found: Token[] = []
  let rest = text.trim()
  while (rest !== '') {
    const next = byLength.find(({ title }) => {
      const begins = rest.toLowerCase().startsWith(title.toLowerCase())
      return begins && !/^[\p{L}\p{N}-]/u.test(rest.slice(title.length))
    })
    if (next) {
      found.push(next)
      rest = rest.slice(next.title.length).trim()
    } else if (BETWEEN.test(rest)) rest = rest.replace(BETWEEN, '')
    else return null
  }
  return found.length > 1 ? found : null
}

/** Filter tokens with suggestions: type part of a state, job, area, machine, person, cause or stretch of time; Enter takes it; Backspace takes the last away. */
export function FilterBar({
  values,
  onChange,
}: {
  values: Readonly<Record<string, string>>
  onChange: (changes: Record<string, string | null>) => void
}): ReactNode {
  const { zone } = useMe()
  const options = useOptions()
  const listId = useId()
  const [text, setText] = useState('')
  const [at, setAt] = useState(0)
  const [open, setOpen] = useState(false)
  const [readStretch, wantStretches] = useOnDemand(() => import('@/ui/stretch').then((module) => module.readStretch))

  const tokens: Token[] = Object.entries(values).flatMap(([key, value]) => {
    if (key === 'text') return [{ key, value, title: `“${value}”` }]
    if (key === 'when' || key === 'ended') return isStretch(value) ? [{ key, value, title: STRETCHES[value] }] : []
    if (key === 'lock') return [{ key, value, title: value }]
    if (INSTANTS.includes(key)) return [{ key, value, title: `${day(value, zone)} ${clock(value, zone)}` }]
    return value.split(',').flatMap((one) => {
      const known = options.find((option) => option.key === key && option.value === one)
      return known ? [known] : LISTS.includes(key) ? [{ key, value: one, title: one }] : []
    })
  })
  const wanted = text.trim().toLowerCase()
  // A time of day has a colon too.
  const prefixed = /^([a-z]+):\s*(.*)$/.exec(wanted)
  const [prefix, rest] = prefixed ? [keyOf(prefixed[1] as string), prefixed[2] ?? ''] : [undefined, wanted]
  const chosen = new Set(tokens.map((token) => `${token.key}${token.value}`))
  const hits = options.filter(
    (option) =>
      !chosen.has(`${option.key}${option.value}`) &&
      (prefix ? option.key === prefix : true) &&
      `${option.title} ${keyWord(option.key)}`.toLowerCase().includes(rest ?? ''),
  )
  // What is written as it is called is what is meant: Enter takes it.
  const isMeant = ({ key, title }: Token): boolean =>
    wanted !== '' &&
    (title.toLowerCase() === wanted || (key === 'state' && wanted.length > 2 && title.startsWith(wanted)))
  const meant = hits.filter(isMeant)
  const written = readStretch?.(text, zone)
  const request = readRequest(text, options)
  const shown: Token[] = [
    ...(request
      ? [
          {
            key: 'all of it',
            value: '',
            title: request.map(({ title }) => title).join(' · '),
            change: changesOf(request),
          },
        ]
      : []),
    ...(written
      ? [{ key: 'when', value: '', title: text.trim(), change: { when: null, from: null, to: null, ...written } }]
      : []),
    ...meant,
    ...(wanted && !prefix ? [{ key: 'text', value: text.trim(), title: `title or number has “${text.trim()}”` }] : []),
    ...hits.filter((hit) => !meant.includes(hit)).slice(0, 40),
  ]

  function changesOf(all: readonly Token[]): Record<string, string | null> {
    const changes: Record<string, string | null> = {}
    for (const { key, value, change } of all) {
      if (change) {
        Object.assign(changes, change)
        continue
      }
      const before = changes[key] ?? values[key]
      changes[key] = LISTS.includes(key) && before ? [...new Set([...before.split(','), value])].join() : value
    }
    return changes
  }
  const add = (token: Token | undefined): void => {
    if (!token) return
    onChange(changesOf([token]))
    setText('')
    setAt(0)
    setOpen(false)
  }
  const remove = (token: Token): void => {
    const left = (values[token.key] ?? '').split(',').filter((value) => value !== token.value)
    onChange({ [token.key]: token.key === 'text' || left.length === 0 ? null : left.join(',') })
  }
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault()
      setOpen(true)
      setAt((before) => Math.max(0, Math.min(shown.length - 1, before + (event.key === 'ArrowDown' ? 1 : -1))))
    } else if (event.key === 'Enter') add(shown[at])
    else if (event.key === 'Escape') setOpen(false)
    else if (event.key === 'Backspace' && text === '') {
      const last = tokens.at(-1)
      if (last) remove(last)
    }
  }
  return (
    <Bar>
      {tokens.map((token) => (
        <Chip key={`${token.key}${token.value}`}>
          <span>{keyWord(token.key)}</span>
          <b>{token.title}</b>
          <button
            type="button"
            aria-label={`Take away ${keyWord(token.key)} ${token.title}`}
            onClick={() => remove(token)}
          >
            ×
          </button>
        </Chip>
      ))}
      <input
        data-filter
        role="combobox"
        aria-label="Filter runs"
        aria-expanded={open}
        aria-controls={listId}
        aria-activedescendant={open && shown[at] ? `${listId}-${at}` : undefined}
        placeholder={tokens.length === 0 ? 'Filter: failed, last night, a job, machine, trigger, person, number …' : ''}
        value={text}
        onFocus={() => {
          wantStretches()
          setOpen(true)
        }}
        onClick={() => setOpen(true)}
        onBlur={() => setTimeout(() => setOpen(false), 150)}
        onChange={(event) => {
          setText(event.target.value)
          setAt(0)
          setOpen(true)
        }}
        onKeyDown={onKeyDown}
      />
      {open && shown.length > 0 && (
        <List id={listId} role="listbox" aria-label="Suggestions">
          {shown.map((token, i) => (
            <li
              key={`${token.key}${token.value}`}
              id={`${listId}-${i}`}
              role="option"
              aria-selected={i === at}
              onMouseDown={(event) => event.preventDefault()}
              onClick={() => add(token)}
            >
              {token.title}
              <small>{keyWord(token.key)}</small>
            </li>
          ))}
        </List>
      )}
      <DaysButton onDays={(days) => onChange({ when: null, ...days })} />
    </Bar>
  )
}
