'use client'
import dynamic from 'next/dynamic'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { RecoveryCodes } from '@/app/shared/people/recovery-codes'
import type { FactorRow, MyFactors } from '@/service/entry/factors'
import type { FactorToMake } from '@/service/entry/make-factor'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Card } from '@/ui/parts/card'
import { Confirm, Dialog } from '@/ui/parts/dialog'
import { Row, Small, Spring } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'

// The picture for the phone comes with what makes it, when somebody sets one up.
const MakeFactor = dynamic(() => import('@/app/shared/people/make-factor').then((module) => module.MakeFactor), {
  ssr: false,
})

/** What one shows beside the password. */
export function SecondFactors(): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data } = useQuery({ queryKey: ['factors'], queryFn: () => api.get<MyFactors>('/me/second-factors') })
  const [make, setMake] = useState<FactorToMake | null>(null)
  const [codes, setCodes] = useState<readonly string[] | null>(null)
  const [removing, setRemoving] = useState<FactorRow | null>(null)
  const refresh = (): void => void client.invalidateQueries({ queryKey: ['factors'] })
  const fail = (error: ApiProblem): void => say(error.detail, { bad: true })
  const factors = data?.factors ?? []
  return (
    <Card>
      <Row>
        <h2>Second factor</h2>
        <Spring />
        <Button onPress={() => void api.post<FactorToMake>('/me/second-factors/begin').then(setMake, fail)}>
          Add one
        </Button>
      </Row>
      <Small>
        {factors.length > 0
          ? 'When you sign in, you show one of these beside your password.'
          : data?.isAsked
            ? 'Your role asks for one at your next signing in.'
            : 'With one, nobody comes in by your password alone.'}
      </Small>
      {factors.length > 0 && (
        <>
          <Table
            label="Second factors"
            rows={factors}
            columns={[
              { id: 'title', title: 'What', cell: (factor) => <b>{factor.title}</b> },
              {
                id: 'kind',
                title: 'Kind',
                cell: (factor) => (factor.kind === 'app' ? 'codes from an app' : 'passkey'),
              },
              { id: 'made', title: 'Since', cell: (factor) => <Time at={factor.madeAt} /> },
              {
                id: 'used',
                title: 'Last used',
                cell: (factor) => (factor.lastUsedAt ? <Ago at={factor.lastUsedAt} /> : 'never'),
              },
              {
                id: 'acts',
                title: '',
                cell: (factor) => (
                  <Button kind="quiet" onPress={() => setRemoving(factor)}>
                    Remove
                  </Button>
                ),
              },
            ]}
          />
          <Row>
            <Small>{count(data?.recoveryLeft ?? 0, 'code')} on paper still good.</Small>
            <Spring />
            <Button
              kind="quiet"
              onPress={() =>
                void api.post<{ codes: string[] }>('/me/recovery-codes').then((made) => setCodes(made.codes), fail)
              }
            >
              New codes on paper
            </Button>
          </Row>
        </>
      )}
      <Dialog title="Add a second factor" isOpen={make !== null} onClose={() => setMake(null)} width={440}>
        {make && (
          <MakeFactor
            make={make}
            send={async (answer) => {
              const { recoveryCodes } = await api.post<{ recoveryCodes: string[] | null }>('/me/second-factors', answer)
              setMake(null)
              setCodes(recoveryCodes)
              refresh()
              if (!recoveryCodes) say('Added.')
            }}
          />
        )}
      </Dialog>
      <Dialog title="Codes on paper" isOpen={codes !== null} onClose={() => setCodes(null)} width={440}>
        {codes && (
          <RecoveryCodes
            codes={codes}
            onDone={() => {
              setCodes(null)
              refresh()
            }}
          />
        )}
      </Dialog>
      <Confirm
        title={`Remove ${removing?.title ?? ''}?`}
        isOpen={removing !== null}
        onClose={() => setRemoving(null)}
        word="Remove it"
        onConfirm={() => removing && void api.delete(`/me/second-factors/${removing.id}`).then(refresh, fail)}
      >
        {factors.length === 1
          ? 'It is the last one: from then on your password alone lets you in, and the codes on paper end.'
          : 'You can no longer sign in with it.'}
      </Confirm>
    </Card>
  )
}
