'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { ManyAct, ManyRunsDone } from '@/service/runs/many-runs'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { ChosenBar } from '@/ui/parts/chosen-bar'
import { Confirm } from '@/ui/parts/dialog'
import { Small, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const counted = (n: number, what: string): string => (n === 1 ? `one ${what}` : `${n} ${what}s`)

interface Words {
  readonly button: string
  /** What will happen, for those that it fits. */
  readonly will: (would: ManyRunsDone) => string
  readonly did: (done: ManyRunsDone) => string
  readonly isDanger?: true
}
const WORDS: Record<ManyAct, Words> = {
  stop: {
    button: 'Stop',
    will: ({ done, machines }) =>
      `Stops ${counted(done.length, 'run')}${machines > 0 ? `, of which some are at work on ${counted(machines, 'machine')}` : ', before they have begun'}. What a stopped command had begun is not undone.`,
    did: ({ done }) => `${counted(done.length, 'run')} stopped.`,
    isDanger: true,
  },
  again: {
    button: 'Run again',
    will: ({ done }) => `Starts ${counted(done.length, 'new run')} with the inputs that each had.`,
    did: ({ made }) => `${counted(made.length, 'run')} started again.`,
  },
  clear: {
    button: 'Clear',
    will: ({ done }) => `Takes ${counted(done.length, 'run')} off the board. Their history and output stay.`,
    did: ({ done }) => `${counted(done.length, 'run')} off the board.`,
  },
  close: {
    button: 'Close matters',
    will: ({ done }) => `Closes the open matters of ${counted(done.length, 'run')}. They need nobody any more.`,
    did: ({ done }) => `Matters of ${counted(done.length, 'run')} closed.`,
  },
}
const ACTS = Object.keys(WORDS) as ManyAct[]
const MOST_NAMED = 6

/** What can be done with the chosen runs; what will happen is said first. */
export function ManyBar({ ids, onClear }: { ids: readonly number[]; onClear: () => void }): ReactNode {
  const { why } = useMay('operate')
  const say = useSay()
  const client = useQueryClient()
  const [asking, setAsking] = useState<{ act: ManyAct; would: ManyRunsDone; requestKey: string } | null>(null)
  const send = (act: ManyAct, more: object, then: (done: ManyRunsDone) => void): void => {
    api
      .post<ManyRunsDone>('/runs/many', { ids, act, ...more })
      .then(then, (error: ApiProblem) => say(error.errors[0]?.message ?? error.detail, { bad: true }))
  }
  const carryOut = (): void => {
    if (!asking) return
    const { act, requestKey } = asking
    send(act, { requestKey }, (done) => {
      const left = done.passedOver.length
      say(`${WORDS[act].did(done)}${left > 0 ? ` ${counted(left, 'run')} passed over.` : ''}`)
      onClear()
      for (const key of ['runs', 'matters', 'day']) void client.invalidateQueries({ queryKey: [key] })
    })
  }
  const would = asking?.would
  return (
    <>
      <ChosenBar says={`${counted(ids.length, 'run')} chosen`} onClear={onClear}>
        {ids.length === 2 && (
          <ButtonLink href={`/runs/compare?a=${Math.min(...ids)}&b=${Math.max(...ids)}`}>Compare</ButtonLink>
        )}
        {ACTS.map((act) => (
          <Button
            key={act}
            {...(WORDS[act].isDanger ? { kind: 'danger' as const } : {})}
            whyNot={why}
            onPress={() =>
              send(act, { dry: true }, (answer) => setAsking({ act, would: answer, requestKey: crypto.randomUUID() }))
            }
          >
            {WORDS[act].button}
          </Button>
        ))}
      </ChosenBar>
      <Confirm
        title={asking ? `${WORDS[asking.act].button}: ${counted(asking.would.done.length, 'run')}` : ''}
        isOpen={asking !== null}
        onClose={() => setAsking(null)}
        word={asking ? WORDS[asking.act].button : ''}
        isGentle={asking !== null && !WORDS[asking.act].isDanger}
        whyNot={would && would.done.length === 0 ? 'It fits none of them.' : undefined}
        onConfirm={carryOut}
      >
        <Stack $gap={8} as="span">
          {asking && would && would.done.length > 0 && <span>{WORDS[asking.act].will(would)}</span>}
          {would && would.passedOver.length > 0 && (
            <Small as="span">
              {counted(would.passedOver.length, 'run')} passed over:{' '}
              {would.passedOver.slice(0, MOST_NAMED).map(({ id, why: reason }) => (
                <span key={id} style={{ display: 'block' }}>
                  <Link href={`/runs/${id}`}>#{id}</Link> {reason}
                </span>
              ))}
              {would.passedOver.length > MOST_NAMED && `and ${would.passedOver.length - MOST_NAMED} more`}
            </Small>
          )}
        </Stack>
      </Confirm>
    </>
  )
}
