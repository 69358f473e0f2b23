'use client'
import type { ReactNode } from 'react'
import type { Outcome } from '@/core/flow/state'
import type { FlowDefinition } from '@/core/work/flow'
import { defaultWords, writtenDefault } from '@/core/work/inputs'
import { duration } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { DateField } from '@/ui/parts/date-field'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Mono, Mute, Row, SCROLLS, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Sentence } from '@/ui/parts/sentence'
import { StateChip } from '@/ui/parts/state-mark'
import type { Model } from './editor-model'
import type { Rehearsing } from './use-rehearsal'

/** What would happen on a day, and what is assumed of the steps. */
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
