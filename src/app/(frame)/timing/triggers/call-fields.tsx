'use client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Call } from '@/core/events/kinds'
import type { CallAddress } from '@/service/timing/calls'
import { api } from '@/ui/api'
import { useFollowing } from '@/ui/hooks/following'
import { Button } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { Switch, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Sentence, Word } from '@/ui/parts/sentence'
import { Time } from '@/ui/parts/time'
import { ShownOnce } from '@/app/shared/people/shown-once'
import type { SectionProps } from '@/app/shared/timing/section-props'

/** Which calls count, and the address that they go to. */
export function CallFields({ call, define, faultOf, id }: SectionProps & { call: Call; id: number | null }): ReactNode {
  const [text, setText] = useFollowing(JSON.stringify(call.only), onlyText)
  const read = readOnly(text)
  return (
    <Stack>
      <Sentence>
        <Word>by POST with JSON,</Word>
        <div style={{ paddingTop: 4 }}>
          <Switch isSelected={call.signed} onChange={(signed) => define({ call: { ...call, signed } })}>
            signed calls only
          </Switch>
        </div>
      </Sentence>
      <TextField
        label="Only calls in which"
        value={text}
        rows={2}
        mono
        onChange={(next) => {
          const meant = readOnly(next)
          const only = 'only' in meant ? meant.only : (next as unknown as Call['only'])
          setText(next, JSON.stringify(only))
          define({ call: { ...call, only } })
        }}
        placeholder={'/type = arrived\n/data/berth = 4'}
        error={'fault' in read ? read.fault : faultOf('definition.call.only')}
      />
      <Small>
        A line for each: where the value lies in what is sent, and what it must be. Empty: every call counts. Under
        “With” an input takes a value of the call by its place, such as /data/vessel.
      </Small>
      {id === null ? <Small>Saved, it gets an address to call.</Small> : <Address id={id} />}
    </Stack>
  )
}

function onlyText(json: string): string {
  const only = JSON.parse(json) as unknown
  if (typeof only === 'string') return only
  return Object.entries(only as Call['only'])
    .map(
      ([pointer, value]) =>
        `${pointer} = ${typeof value === 'string' && !isLiteral(value) ? value : JSON.stringify(value)}`,
    )
    .join('\n')
}

/** Whether a text would be read as something other than itself. */
const isLiteral = (text: string): boolean => /^(true|false|-?\d+(\.\d+)?|".*")$/.test(text)

function readOnly(text: string): { only: Call['only'] } | { fault: string } {
  const only: Record<string, string | number | boolean> = {}
  for (const line of text.split('\n').filter((each) => each.trim() !== '')) {
    const parts = /^\s*(\/\S*)\s*=\s*(.*?)\s*$/.exec(line)
    if (!parts) return { fault: `“${line.trim()}” is not read: write a place and a value, such as /type = arrived.` }
    const [, pointer = '', value = ''] = parts
    only[pointer] = isLiteral(value) ? (JSON.parse(value) as string | number | boolean) : value
  }
  return { only }
}

function Address({ id }: { id: number }): ReactNode {
  const client = useQueryClient()
  const [asking, setAsking] = useState(false)
  const { data } = useQuery({
    queryKey: ['triggers', id, 'call'],
    queryFn: () => api.get<{ address: CallAddress | null }>(`/triggers/${id}/call`),
  })
  const renew = useMutation({
    mutationFn: () => api.post<{ path: string; signingKey: string }>(`/triggers/${id}/call`, {}),
    onSuccess: () => client.invalidateQueries({ queryKey: ['triggers', id, 'call'] }),
  })
  if (!data) return null
  return (
    <Stack $gap={6}>
      <Row>
        {data.address ? (
          <Small>
            Its address was made by {data.address.madeBy}, <Time at={data.address.madeAt} />. It is shown once only.
          </Small>
        ) : (
          <Small>It has no address yet.</Small>
        )}
        <Button onPress={() => (data.address ? setAsking(true) : renew.mutate())}>
          {data.address ? 'Make a new address' : 'Make its address'}
        </Button>
      </Row>
      <Trouble error={renew.error} />
      {renew.data && (
        <Stack $gap={4} role="status">
          <ShownOnce text={`${window.location.origin}${renew.data.path}`}>
            The address to call, shown only now.
          </ShownOnce>
          <ShownOnce text={renew.data.signingKey}>
            The key to sign calls with (Standard Webhooks, HMAC-SHA256), shown only now.
          </ShownOnce>
        </Stack>
      )}
      <Confirm
        title="Make a new address?"
        isOpen={asking}
        onClose={() => setAsking(false)}
        word="Make it"
        onConfirm={() => renew.mutate()}
      >
        Whoever calls the present one is told from then on that it is not there.
      </Confirm>
    </Stack>
  )
}
