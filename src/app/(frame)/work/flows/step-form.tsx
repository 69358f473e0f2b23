'use client'
import Link from 'next/link'
import type { ReactNode } from 'react'
import { groupStep, leadsTo, renameStep } from '@/core/flow/edit'
import type { Fault } from '@/core/schema/faults'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/flows'
import { useFollowing } from '@/ui/hooks/following'
import { useDrifts } from '@/ui/hooks/drifts'
import { Button } from '@/ui/parts/button'
import { DriftMark } from '@/ui/parts/drift-mark'
import { NumberField } from '@/ui/parts/number-field'
import { Select, TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { readLength, writeLength } from './editor-model'
import { GateFields } from './gate-fields'

interface Props {
  readonly step: FlowStep
  readonly definition: FlowDefinition
  readonly material: FlowMaterial
  readonly faults: readonly Fault[]
  /** A step inside this one, which is a flow, is chosen. */
  readonly isInside: boolean
  readonly onChange: (step: FlowStep, what: string) => void
  readonly onDefine: (next: FlowDefinition, what: string) => void
  readonly onRename: (id: string) => void
  readonly onRemove: () => void
}

const WHENS = [
  { id: 'succeeded', title: 'has succeeded' },
  { id: 'failed', title: 'has failed' },
  { id: 'ended', title: 'has ended either way' },
  { id: 'over', title: 'is over, even if passed over' },
]

/** One step in sentences: what it runs, what it waits for, its gate, and what its failure leads to. */
export function StepForm({
  step,
  definition,
  material,
  faults,
  isInside,
  onChange,
  onDefine,
  onRename,
  onRemove,
}: Props): ReactNode {
  const index = definition.steps.findIndex(({ id }) => id === step.id)
  const faultOf = (key: string): string | undefined =>
    faults.find(
      ({ path }) =>
        path === `steps[${index}].${key}` ||
        path.startsWith(`steps[${index}].${key}.`) ||
        path.startsWith(`steps[${index}].${key}[`),
    )?.message
  const others = definition.steps.filter(({ id }) => id !== step.id)
  const drifts = useDrifts()
  const job = material.jobs.find(({ slug }) => slug === step.job)
  const inner = material.flows.find(({ slug }) => slug === step.flow)
  const inputs = job?.inputs ?? inner?.definition.inputs ?? []
  const after = step.after ?? []
  const setAfter = (next: NonNullable<FlowStep['after']>, what: string): void => {
    const { after: _, ...rest } = step
    onChange(next.length > 0 ? { ...rest, after: next } : rest, what)
  }
  const free = others.filter(({ id }) => !after.some((link) => link.step === id) && !leadsTo(definition, step.id, id))
  const group = definition.groups.find(({ steps }) => steps.includes(step.id))
  const set = (key: keyof FlowStep, value: unknown): void => {
    const { [key]: _, ...rest } = step
    onChange((value === undefined ? rest : { ...rest, [key]: value }) as FlowStep, key)
  }
  return (
    <Stack $gap={12} style={{ padding: '10px 14px' }}>
      {isInside && (
        <Small>
          The chosen step lies in the flow {inner?.title ?? step.flow}.{' '}
          {inner && <Link href={`/work/flows/${inner.id}`}>Change it there.</Link>}
        </Small>
      )}
      <Sentence>
        <NameField
          step={step}
          error={faultOf('id')}
          onRename={(id) => {
            onDefine(renameStep(definition, step.id, id), 'rename')
            onRename(id)
          }}
        />
        <Select
          label="runs"
          value={step.job === undefined ? `flow ${step.flow}` : `job ${step.job}`}
          onChange={(key) => {
            const [kind, slug] = key.split(' ') as ['job' | 'flow', string]
            const { job: _, flow: __, with: ___, ...rest } = step
            onChange(kind === 'job' ? { ...rest, job: slug } : { ...rest, flow: slug }, 'runs')
          }}
          choices={[
            ...material.jobs.map((each) => ({ id: `job ${each.slug}`, title: `${each.title} (${each.area})` })),
            ...material.flows.map((each) => ({ id: `flow ${each.slug}`, title: `${each.title} (flow)` })),
          ]}
          error={faultOf('job') ?? faultOf('flow')}
          width="270px"
        />
        <TextField
          label="shown as"
          value={step.title ?? ''}
          onChange={(title) => set('title', title === '' ? undefined : title)}
          error={faultOf('title')}
          width="190px"
        />
        <Spring />
        <div style={{ paddingTop: 20 }}>
          <Button kind="danger" onPress={onRemove}>
            Take out
          </Button>
        </div>
      </Sentence>
      <Part aria-label="Waits for">
        <h2>Begins when</h2>
        <Stack $gap={6}>
          {after.length === 0 && (
            <Word>
              {others.some(({ onFailure }) => typeof onFailure === 'object' && onFailure.goTo === step.id)
                ? 'a failure leads to it'
                : 'the flow begins'}
            </Word>
          )}
          {after.map((link, i) => (
            <Sentence key={link.step}>
              {i > 0 && <Word style={{ minWidth: 40 }}>{step.join === 'any' ? 'or' : 'and'}</Word>}
              <Select
                label={`Earlier step ${i + 1}`}
                hideLabel
                value={link.step}
                onChange={(id) =>
                  setAfter(
                    after.map((each) => (each === link ? { ...each, step: id } : each)),
                    'link',
                  )
                }
                choices={[link.step, ...free.map(({ id }) => id)].map((id) => ({ id, title: id }))}
                error={faultOf(`after[${i}]`)}
                width="190px"
              />
              <Select
                label={`How ${link.step} must have ended`}
                hideLabel
                value={link.when}
                onChange={(when) =>
                  setAfter(
                    after.map((each) => (each === link ? { ...each, when: when as typeof link.when } : each)),
                    'when',
                  )
                }
                choices={WHENS}
                width="210px"
              />
              <Button
                kind="quiet"
                aria-label={`No longer wait for ${link.step}`}
                onPress={() =>
                  setAfter(
                    after.filter((each) => each !== link),
                    'unlink',
                  )
                }
              >
                ×
              </Button>
            </Sentence>
          ))}
          <Sentence>
            {free.length > 0 && (
              <Select
                label="Wait for another step"
                hideLabel
                value={null}
                placeholder="wait for …"
                onChange={(id) => setAfter([...after, { step: id, when: 'succeeded' }], 'link')}
                choices={free.map(({ id }) => ({ id, title: id }))}
                width="190px"
              />
            )}
            {after.length > 1 && (
              <Select
                label="How many of them"
                hideLabel
                value={step.join}
                onChange={(join) => set('join', join)}
                choices={[
                  { id: 'all', title: 'all of these' },
                  { id: 'any', title: 'any one of these' },
                ]}
                width="150px"
              />
            )}
          </Sentence>
        </Stack>
      </Part>
      <GateFields
        step={step}
        definition={definition}
        material={material}
        error={faultOf('gate')}
        onChange={(gate) => set('gate', gate)}
      />
      {inputs.length > 0 && (
        <Part aria-label="Values">
          <h2>With</h2>
          <Sentence>
            {inputs.map((input) => (
              <TextField
                key={input.name}
                label={input.title || input.name}
                value={step.with?.[input.name] === undefined ? '' : String(step.with[input.name])}
                placeholder={input.default ?? ''}
                onChange={(value) => {
                  const { [input.name]: _, ...rest } = step.with ?? {}
                  const next = value === '' ? rest : { ...rest, [input.name]: value }
                  set('with', Object.keys(next).length > 0 ? next : undefined)
                }}
                error={faultOf(`with.${input.name}`)}
                hint={
                  definition.inputs.length > 0 && input === inputs[0]
                    ? `\${${definition.inputs[0]?.name ?? ''}} is an input of the flow`
                    : undefined
                }
                width="200px"
              />
            ))}
          </Sentence>
        </Part>
      )}
      <Part aria-label="Failure">
        <h2>If it fails</h2>
        <Stack $gap={6}>
          {step.flow === undefined && (
            <Sentence>
              <Word>it is tried again</Word>
              <Select
                label="Retries"
                hideLabel
                value={step.retry ? 'own' : 'job'}
                onChange={(how) => set('retry', how === 'own' ? { times: 1, delay: 'PT30S' } : undefined)}
                choices={[
                  { id: 'job', title: 'as its job says' },
                  { id: 'own', title: 'this often:' },
                ]}
                width="140px"
              />
              {step.retry && (
                <>
                  <NumberField
                    label="Times"
                    value={step.retry.times}
                    onChange={(times) => set('retry', { ...step.retry, times })}
                    error={faultOf('retry.times')}
                  />
                  <Word>times, after</Word>
                  <LengthField
                    label="Delay"
                    value={step.retry.delay}
                    onChange={(delay) => set('retry', { ...step.retry, delay: delay ?? '' })}
                    error={faultOf('retry.delay')}
                  />
                </>
              )}
            </Sentence>
          )}
          <Sentence>
            <Word>then</Word>
            <Select
              label="Then"
              hideLabel
              value={
                step.onFailure === undefined ? 'group' : typeof step.onFailure === 'object' ? 'goTo' : step.onFailure
              }
              onChange={(how) => {
                const first = others.find(({ id }) => !leadsTo(definition, id, step.id))
                if (how === 'goTo') {
                  if (first) set('onFailure', { goTo: first.id })
                } else set('onFailure', how === 'group' ? undefined : how)
              }}
              choices={[
                {
                  id: 'group',
                  title: group?.onFailure
                    ? `as group ${group.id} says`
                    : 'the flow fails; what waits for its success is passed over',
                },
                ...(group?.onFailure ? [{ id: 'fail', title: 'the flow fails' }] : []),
                { id: 'carryOn', title: 'carry on as if it had succeeded' },
                { id: 'goTo', title: 'go to a step' },
                { id: 'endFlow', title: 'end the flow: start nothing more of it' },
              ]}
              width="330px"
            />
            {typeof step.onFailure === 'object' && (
              <Select
                label="Step that a failure leads to"
                hideLabel
                value={step.onFailure.goTo}
                onChange={(goTo) => set('onFailure', { goTo })}
                choices={[
                  ...new Set([
                    step.onFailure.goTo,
                    ...others.filter(({ id }) => !leadsTo(definition, id, step.id)).map(({ id }) => id),
                  ]),
                ].map((id) => ({ id, title: id }))}
                error={faultOf('onFailure')}
                width="190px"
              />
            )}
          </Sentence>
          <Sentence>
            <Word>it is in the group</Word>
            <GroupField
              group={group?.id ?? ''}
              onChange={(id) => onDefine(groupStep(definition, step.id, id === '' ? null : id), 'group')}
            />
            {group && (
              <Select
                label={`If a step of ${group.id} fails`}
                hideLabel
                value={
                  group.onFailure === undefined
                    ? 'fail'
                    : typeof group.onFailure === 'object'
                      ? `goTo ${group.onFailure.goTo}`
                      : group.onFailure
                }
                onChange={(how) =>
                  onDefine(
                    {
                      ...definition,
                      groups: definition.groups.map((each) =>
                        each.id === group.id
                          ? { ...each, onFailure: how.startsWith('goTo ') ? { goTo: how.slice(5) } : (how as 'fail') }
                          : each,
                      ),
                    },
                    'group',
                  )
                }
                choices={[
                  { id: 'fail', title: 'whose failure fails the flow' },
                  { id: 'carryOn', title: 'whose failures are carried over' },
                  { id: 'endFlow', title: 'whose failure ends the flow' },
                  ...definition.steps
                    .filter(({ id }) => !group.steps.some((member) => member === id || leadsTo(definition, id, member)))
                    .map(({ id }) => ({ id: `goTo ${id}`, title: `whose failure leads to ${id}` })),
                ]}
                width="260px"
              />
            )}
          </Sentence>
        </Stack>
      </Part>
      <Part aria-label="Length">
        <h2>Usually takes</h2>
        <Row>
          <LengthField
            label="Usual length until there are runs"
            value={typeof step.expect === 'string' ? step.expect : undefined}
            onChange={(expect) => set('expect', expect)}
            error={faultOf('expect')}
          />
          <Small>
            until runs have shown how long{job?.usualMs ? `; now ${writeLength(Math.round(job.usualMs / 1000))}` : ''}
          </Small>
          <DriftMark drift={drifts.get(job?.id ?? 0)} inWords />
        </Row>
      </Part>
    </Stack>
  )
}

/** The name takes effect when the field is left: links to it follow. */
function NameField({
  step,
  error,
  onRename,
}: {
  step: FlowStep
  error: string | undefined
  onRename: (id: string) => void
}): ReactNode {
  const [text, setText] = useFollowing(step.id, (id) => id)
  const isName = /^[a-z0-9][a-z0-9-]{0,63}$/.test(text)
  return (
    <div
      onBlur={() => isName && text !== step.id && onRename(text)}
      onKeyDown={(event) => event.key === 'Enter' && isName && text !== step.id && onRename(text)}
    >
      <TextField
        label="Step"
        mono
        value={text}
        onChange={(next) => setText(next, step.id)}
        error={isName ? error : 'Lower-case letters, digits and hyphens.'}
        width="170px"
      />
    </div>
  )
}

function GroupField({ group, onChange }: { group: string; onChange: (id: string) => void }): ReactNode {
  const [text, setText] = useFollowing(group, (id) => id)
  const isName = text === '' || /^[a-z0-9][a-z0-9-]{0,63}$/.test(text)
  return (
    <div onBlur={() => isName && text !== group && onChange(text)}>
      <TextField
        label="Group"
        hideLabel
        placeholder="none"
        value={text}
        onChange={(next) => setText(next, group)}
        error={isName ? undefined : 'Lower-case letters, digits and hyphens.'}
        width="130px"
      />
    </div>
  )
}

/** A length as people write it, kept as a duration of the format. */
export function LengthField({
  label,
  value,
  onChange,
  error,
}: {
  label: string
  value: string | undefined
  onChange: (value: string | undefined) => void
  error?: string | undefined
}): ReactNode {
  const shown = value === undefined ? '' : writeLength(parseDuration(value) ?? 0)
  const [text, setText] = useFollowing(shown, (each) => each)
  const seconds = readLength(text)
  const isFine = text.trim() === '' || seconds !== undefined
  return (
    <TextField
      label={label}
      hideLabel
      value={text}
      placeholder="9 min"
      onChange={(next) => {
        const read = readLength(next)
        const meant = next.trim() === '' || read === undefined ? undefined : isoDuration(read)
        setText(next, meant === undefined ? '' : writeLength(read as number))
        if (next.trim() === '' || read !== undefined) onChange(meant)
      }}
      error={isFine ? error : 'Write it like 90 s, 5 min or 1 h 30 min.'}
      width="120px"
    />
  )
}
