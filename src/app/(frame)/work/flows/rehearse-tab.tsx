'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, useState, type ReactNode } from 'react'
import type { Plan } from '@/core/flow/plan'
import type { Rehearsal } from '@/core/flow/rehearse'
import type { Outcome } from '@/core/flow/state'
import type { FlowDefinition } from '@/core/work/flow'
import { defaultWords, writtenDefault } from '@/core/work/inputs'
import type { FlowMaterial } from '@/service/flows'
import { api } from '@/ui/api'
import { duration, isoDayIn } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { Button } from '@/ui/parts/button'
import { DateField } from '@/ui/parts/date-field'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Mono, Mute, Row, SCROLLS, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Sentence } from '@/ui/parts/sentence'
import { StateChip } from '@/ui/parts/state-mark'
import { gateRules, planFor, rehearsalOf, type Model } from './editor-model'

export interface Rehearsing {
  readonly isOn: boolean
  readonly day: string
  readonly setDay: (day: string) => void
  readonly outcomes: ReadonlyMap<string, Outcome>
  readonly setOutcome: (path: string, outcome: Outcome) => void
  readonly clear: () => void
  readonly given: Readonly<Record<string, string>>
  readonly give: (name: string, value: string) => void
  readonly plan: Plan | null
  /** What would happen; a text if it cannot be said. */
  readonly result: Rehearsal | string | null
  readonly error: unknown
}

/** What would happen on a day if some steps fail, before anything runs: the same logic as the engine’s. */
export function useRehearsal(
  definition: FlowDefinition,
  slug: string | null,
  material: FlowMaterial,
  model: Model,
  isOn: boolean,
): Rehearsing {
  const { zone } = useMe()
  const now = useNow()
  const today = now > 0 ? isoDayIn(now, zone) : ''
  const [chosenDay, setDay] = useState('')
  const day = /^\d{4}-\d{2}-\d{2}$/.test(chosenDay) ? chosenDay : today
  const [outcomes, setOutcomes] = useState<ReadonlyMap<string, Outcome>>(new Map())
  const [given, setGiven] = useState<Record<string, string>>({})
  const plan = useMemo(
    () =>
      isOn
        ? planFor(
            definition,
            slug,
            material,
            Object.fromEntries(Object.entries(given).filter(([, value]) => value !== '')),
          )
        : null,
    [isOn, definition, slug, material, given],
  )
  const rules = plan ? gateRules(plan) : []
  const { data, error } = useQuery({
    queryKey: ['calendars', 'gates', day, JSON.stringify(rules.map(({ rule }) => rule))],
    queryFn: () => api.post<{ open: boolean[] }>('/flows/gates', { day, rules: rules.map(({ rule }) => rule) }),
    enabled: isOn && rules.length > 0 && /^\d{4}-\d{2}-\d{2}$/.test(day),
  })
  const result = useMemo(() => {
    if (!plan || (rules.length > 0 && !data)) return null
    const open = new Map(rules.map(({ index }, i) => [index, data?.open[i] ?? true]))
    return rehearsalOf(plan, open, outcomes, (index) => {
      const time = model.times[index]
      return time ? Math.round((time.end - time.start) / 1000) : 60
    })
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [plan, data, outcomes, model])
  return {
    isOn,
    day,
    setDay,
    outcomes,
    setOutcome: (path, outcome) =>
      setOutcomes((before) => {
        const next = new Map(before)
        if (outcome === 'succeeded') next.delete(path)
        else next.set(path, outcome)
        return next
      }),
    clear: () => setOutcomes(new Map()),
    given,
    give: (name, value) => setGiven((before) => ({ ...before, [name]: value })),
    plan,
    result,
    error,
  }
}

export function RehearseTab({
  rehearsal,
  definition,
  model,
  chosenPath,
}: {
  rehearsal: Rehearsing
  definition: FlowDefinition
  model: Model
  chosenPath: string | null
}): ReactNode {
  const { plan, result, outcomes, setOutcome } = rehearsal
  const chosen = plan?.steps.find(({ path, flow }) => path === chosenPath && flow === null)
  return (
    <Stack $gap={10} style={{ padding: '10px 14px', ...SCROLLS }}>
      <Small>Nothing runs: the picture shows what would happen, by the same logic that the engine follows.</Small>
      <Sentence>
        <DateField label="On the day" value={rehearsal.day} onChange={rehearsal.setDay} width="150px" />
        {definition.inputs
          .filter(({ type }) => type !== 'secret')
          .map((input) => (
            <TextField
              key={input.name}
              label={input.title || input.name}
              value={rehearsal.given[input.name] ?? writtenDefault(input)}
              placeholder={defaultWords(input.default)}
              onChange={(value) => rehearsal.give(input.name, value)}
              width="150px"
            />
          ))}
      </Sentence>
      {chosen ? (
        <Row>
          <b>{chosen.definition.title ?? chosen.path}</b>
          <Select
            label={`What becomes of ${chosen.path}`}
            hideLabel
            value={outcomes.get(chosen.path) ?? 'succeeded'}
            onChange={(outcome) => setOutcome(chosen.path, outcome as Outcome)}
            choices={[
              { id: 'succeeded', title: 'succeeds' },
              { id: 'failed', title: 'fails, after all its tries' },
              { id: 'cancelled', title: 'is stopped by a person' },
            ]}
            width="220px"
          />
        </Row>
      ) : (
        <Mute>Choose a step in the picture to say that it fails.</Mute>
      )}
      {outcomes.size > 0 && (
        <Row $wrap>
          <Small>Assumed:</Small>
          {[...outcomes].map(([path, outcome]) => (
            <Mono key={path}>
              {path} {outcome}
            </Mono>
          ))}
          <Button kind="quiet" onPress={rehearsal.clear}>
            All succeed again
          </Button>
        </Row>
      )}
      <Trouble error={rehearsal.error} />
      {typeof result === 'string' && <Trouble error={{ title: 'It cannot be rehearsed', detail: result }} />}
      {!plan && (
        <Mute>
          {model.plan
            ? 'An input has a value that does not fit it.'
            : 'Something is wrong with the flow: see Problems.'}
        </Mute>
      )}
      {result && typeof result === 'object' && (
        <>
          <Row>
            <span>The flow would end</span>
            <StateChip mark={result.flow}>{result.flow}</StateChip>
            <Small>after {duration(Math.max(0, ...[...result.times.values()].map(({ end }) => end)) * 1000)}</Small>
          </Row>
          <Small>
            In this order: <Mono>{result.order.join(', ') || 'nothing runs'}</Mono>
          </Small>
        </>
      )}
    </Stack>
  )
}
