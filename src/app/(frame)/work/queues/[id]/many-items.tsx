'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { ChosenBar } from '@/ui/parts/chosen-bar'
import { Confirm } from '@/ui/parts/dialog'

type Act = 'again' | 'withdraw' | 'postpone' | 'urgent'
interface Answer {
  readonly meant: number
  readonly done: number
  /** Stay as they are, because another item has their key. */
  readonly held: number
}
interface Words {
  readonly button: string
  readonly will: string
  readonly did: string
  readonly body: () => object
  readonly isDanger?: true
}
const WORDS: Record<Act, Words> = {
  again: {
    button: 'Put back',
    will: 'will wait again, with their tries from nought',
    did: 'put back',
    body: () => ({ do: 'again' }),
  },
  withdraw: {
    button: 'Withdraw',
    will: 'will be taken out: nobody works on them any more',
    did: 'withdrawn',
    body: () => ({ do: 'withdraw' }),
    isDanger: true,
  },
  postpone: {
    button: 'Postpone by an hour',
    will: 'will not be taken for an hour',
    did: 'postponed',
    body: () => ({ do: 'postpone', notBefore: new Date(Date.now() + 3_600_000).toISOString() }),
  },
  urgent: {
    button: 'Make urgent',
    will: 'will be taken before all others',
    did: 'urgent now',
    body: () => ({ do: 'priority', priority: 'urgent' }),
  },
}

/** What can be done with the chosen items, or with all that the filter shows; with how many of them it would be done is said first. */
export function ManyItems({
  queueId,
  which,
  says,
  onClear,
  whyNot,
}: {
  queueId: number
  which: { readonly ids: readonly number[] } | { readonly filter: object }
  says: string
  onClear: () => void
  whyNot: string | undefined
}): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [asking, setAsking] = useState<{ act: Act; would: Answer } | null>(null)
  const send = (act: Act, dryRun: boolean, then: (answer: Answer) => void): void => {
    api
      .post<Answer>(`/queues/${queueId}/items/many`, { ...which, act: WORDS[act].body(), dryRun })
      .then(then, (error: ApiProblem) => say(error.errors[0]?.message ?? error.detail, { bad: true }))
  }
  const words = asking && WORDS[asking.act]
  const senseless = asking ? asking.would.meant - asking.would.done - asking.would.held : 0
  return (
    <>
      <ChosenBar says={says} onClear={onClear}>
        {(Object.keys(WORDS) as Act[]).map((act) => (
          <Button key={act} onPress={() => send(act, true, (would) => setAsking({ act, would }))} whyNot={whyNot}>
            {WORDS[act].button}
          </Button>
        ))}
      </ChosenBar>
      {asking && words && (
        <Confirm
          title={`${words.button}?`}
          isOpen
          onClose={() => setAsking(null)}
          word={words.button}
          isGentle={!words.isDanger}
          whyNot={asking.would.done === 0 ? 'There is none for which it means something.' : undefined}
          onConfirm={() =>
            send(asking.act, false, ({ done }) => {
              for (const kind of ['items', 'queues']) void client.invalidateQueries({ queryKey: [kind] })
              say(`${count(done, 'item')} ${words.did}.`)
              onClear()
            })
          }
        >
          {count(asking.would.done, 'item')} {words.will}.
          {senseless > 0 &&
            ` ${count(senseless, 'other')} of those chosen ${senseless === 1 ? 'is' : 'are'} in a state in which it means nothing.`}
          {asking.would.held > 0 &&
            ` ${count(asking.would.held, 'other')} ${asking.would.held === 1 ? 'stays' : 'stay'} as before: another item has the key.`}
        </Confirm>
      )}
    </>
  )
}
