'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { FlowStepView } from '@/service/flows/flow-run-view'
import type { AgainPreview } from '@/service/flows/flow-runs'
import type { FlowRunFull } from '@/service/runs/run-page'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { namesOf } from './flow-model'

/** What may be done with one step of a flow run. */
export function StepActions({
  run,
  step,
  all,
}: {
  run: FlowRunFull
  step: FlowStepView
  all: readonly FlowStepView[]
}): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('operate')
  const { values, set } = useAddress()
  const [opened, setOpened] = useState<'mark' | 'again' | null>(null)
  // Watch leads here with the question already asked.
  const open = opened ?? (values.do === 'again' && why === undefined ? 'again' : null)
  const setOpen = (next: typeof opened): void => {
    if (values.do) set({ do: null }, 'replace')
    setOpened(next)
  }
  const refresh = (): void => void client.invalidateQueries({ queryKey: ['run', run.id] })
  const act = (what: 'hold' | 'release'): void => {
    api
      .post(`/runs/${run.id}/steps/${what}`, { step: step.path })
      .then(refresh, (error: ApiProblem) => say(error.detail, { bad: true }))
  }
  if (step.flow !== null) return null
  const isOver = step.endedAt !== null || ['skipped', 'cancelled', 'succeeded', 'failed'].includes(step.state)
  const mayHold = !isOver && step.attempts === 0 && run.endedAt === null
  const mayMark =
    (step.state === 'failed' && !step.marked) || step.runState === 'ready' || (step.runState === 'waiting' && !isOver)
  return (
    <>
      {mayHold && (
        <Button onPress={() => act(step.heldBy ? 'release' : 'hold')} whyNot={why}>
          {step.heldBy ? 'Release' : 'Hold'}
        </Button>
      )}
      {mayMark && (
        <Button onPress={() => setOpen('mark')} whyNot={why}>
          Mark…
        </Button>
      )}
      {isOver && run.startedAt && (
        <Button kind={step.state === 'failed' ? 'strong' : 'plain'} onPress={() => setOpen('again')} whyNot={why}>
          Run again from here
        </Button>
      )}
      <MarkDialog run={run} step={step} isOpen={open === 'mark'} onClose={() => setOpen(null)} onDone={refresh} />
      <AgainDialog
        run={run}
        steps={[step.path]}
        all={all}
        isOpen={open === 'again'}
        onClose={() => setOpen(null)}
        onDone={refresh}
      />
    </>
  )
}

function MarkDialog({
  run,
  step,
  isOpen,
  onClose,
  onDone,
}: {
  run: FlowRunFull
  step: FlowStepView
  isOpen: boolean
  onClose: () => void
  onDone: () => void
}): ReactNode {
  const [as, setAs] = useState('succeeded')
  const [reason, setReason] = useState('')
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  return (
    <Dialog title={`Mark ${step.title}`} isOpen={isOpen} onClose={onClose} width={460}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post(`/runs/${run.id}/steps/mark`, { step: step.path, as, why: reason }).then(() => {
            onDone()
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <p>The flow goes on as if the step had ended so. It is kept with your name.</p>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Select
            label="It counts as"
            value={as}
            onChange={setAs}
            choices={
              step.state === 'failed'
                ? [{ id: 'succeeded', title: 'done' }]
                : [
                    { id: 'succeeded', title: 'done' },
                    { id: 'failed', title: 'failed' },
                  ]
            }
          />
          <TextField
            label="Because"
            value={reason}
            onChange={setReason}
            error={trouble?.errors.find(({ path }) => path === 'why')?.message}
            autoFocus
          />
          <DialogButtons onClose={onClose}>Mark it</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}

/** Run again from these steps: what will run again and what is kept is shown first. */
export function AgainDialog({
  run,
  steps,
  all,
  isOpen,
  onClose,
  onDone,
}: {
  run: FlowRunFull
  steps: readonly string[]
  /** All steps of the run. */
  all: readonly FlowStepView[]
  isOpen: boolean
  onClose: () => void
  onDone: () => void
}): ReactNode {
  const asked = run.definition.inputs.filter(({ type }) => type !== 'secret')
  const [inputs, setInputs] = useState<Record<string, string>>({})
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const { data, error } = useQuery({
    queryKey: ['run', run.id, 'again', ...steps],
    queryFn: () => api.post<AgainPreview>(`/runs/${run.id}/steps/again/preview`, { steps }),
    enabled: isOpen,
  })
  const names = namesOf(all)
  const changed = Object.fromEntries(Object.entries(inputs).filter(([name, value]) => run.inputs[name] !== value))
  return (
    <Dialog title={`Run again from ${steps.map(names).join(', ')}`} isOpen={isOpen} onClose={onClose} width={560}>
      <Stack $gap={12}>
        <Trouble error={error ?? trouble} />
        {data && (
          <>
            <List title={`${count(data.again.length, 'step')} decided again`} names={data.again.map(names)} />
            <List title={`${count(data.kept.length, 'step')} kept`} names={data.kept.map(names)} />
            {data.inTheWay.length > 0 && (
              <p style={{ color: 'var(--failed)' }}>
                {data.inTheWay.map(names).join(', ')} {data.inTheWay.length === 1 ? 'has' : 'have'} not ended yet. Wait
                for that, or stop the flow first.
              </p>
            )}
          </>
        )}
        {asked.map((input) => (
          <TextField
            key={input.name}
            label={input.title || input.name}
            value={inputs[input.name] ?? run.inputs[input.name] ?? ''}
            onChange={(value) => setInputs((before) => ({ ...before, [input.name]: value }))}
            error={trouble?.errors.find(({ path }) => path === `inputs.${input.name}`)?.message}
          />
        ))}
        {asked.length > 0 && <Small>Steps that run again see the inputs as they are here.</Small>}
        <Row>
          <Spring />
          <Button onPress={onClose}>Cancel</Button>
          <Button
            kind="strong"
            isDisabled={!data || data.inTheWay.length > 0}
            onPress={() => {
              api.post(`/runs/${run.id}/steps/again`, { steps, inputs: changed }).then(() => {
                onDone()
                onClose()
              }, setTrouble)
            }}
          >
            Run again
          </Button>
        </Row>
      </Stack>
    </Dialog>
  )
}

function List({ title, names }: { title: string; names: readonly string[] }): ReactNode {
  return (
    <div>
      <b>{title}</b>
      <p>
        {names.slice(0, 30).join(', ') || '—'}
        {names.length > 30 && <Small> and {names.length - 30} more</Small>}
      </p>
    </div>
  )
}
