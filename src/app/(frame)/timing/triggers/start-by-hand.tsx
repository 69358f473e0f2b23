'use client'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import type { TriggerFull } from '@/service/timing/triggers'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useAskedFor } from '@/ui/hooks/asked-for'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Row, Spring } from '@/ui/parts/layout'

/** Starts what the trigger starts, now, once it is confirmed; then shows the run, or the runs. */
export function StartByHand({ trigger, machines }: { trigger: TriggerFull; machines: number }): ReactNode {
  const router = useRouter()
  const say = useSay()
  const { why } = useMay('operate')
  const [requestKey, setRequestKey] = useState<string | null>(null)
  useAskedFor('start', () => why === undefined && trigger.jobActive && setRequestKey(crypto.randomUUID()))
  const isEach = trigger.definition.spread === 'each'
  const given = Object.entries(trigger.definition.with)
  const start = (): void => {
    api.post<{ ids: number[] }>(`/triggers/${trigger.id}/start`, { requestKey }).then(
      ({ ids }) => router.push(ids.length === 1 ? `/runs/${ids[0]}` : `/runs?trigger=${trigger.id}`),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
    setRequestKey(null)
  }
  return (
    <>
      <Button
        onPress={() => setRequestKey(crypto.randomUUID())}
        whyNot={why ?? (trigger.jobActive ? undefined : `${trigger.jobTitle} is switched off.`)}
      >
        Start now
      </Button>
      <Dialog
        title={`Start ${trigger.title} now?`}
        isOpen={requestKey !== null}
        onClose={() => setRequestKey(null)}
        width={440}
      >
        <p>
          {isEach
            ? `Starts ${trigger.jobTitle} ${machines === 1 ? 'once, on the one machine' : `${machines} times, once on each of the ${machines} machines`} of its target.`
            : `Starts ${trigger.jobTitle} once.`}{' '}
          {given.length > 0 && `With ${given.map(([name, value]) => `${name} = ${value}`).join(', ')}. `}
          Its coming starts stay as they are.
        </p>
        <Row>
          <Spring />
          <Button onPress={() => setRequestKey(null)}>Leave it</Button>
          <Button kind="strong" onPress={start} autoFocus>
            Start now
          </Button>
        </Row>
      </Dialog>
    </>
  )
}
