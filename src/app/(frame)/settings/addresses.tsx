'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Setting } from '@/service/base/settings'
import { api } from '@/ui/api'
import { useSaving } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Card, Cards } from '@/ui/parts/card'
import { Row, Stack, Trouble } from '@/ui/parts/layout'
import { ListField } from '@/ui/parts/list-field'

/** Where requests of the server itself may go. */
export function Addresses(): ReactNode {
  const { data } = useQuery({ queryKey: ['addresses'], queryFn: () => api.get<Setting<'addresses'>>('/addresses') })
  return (
    <Cards $first="minmax(0, 1fr)">
      {data ? <Allowed key={data.allow.join()} allow={data.allow} /> : <Card aria-busy="true" />}
    </Cards>
  )
}

function Allowed({ allow }: { allow: readonly string[] }): ReactNode {
  const { trouble, save } = useSaving()
  const [list, setList] = useState(allow)
  return (
    <Card>
      <h2>Addresses that this server may call</h2>
      <p>
        Notices and their trials are sent by the server itself. It calls public addresses, and of private networks, of
        link-local ones and of its own machine only what stands here. Jobs are not concerned: their agents send their
        requests.
      </p>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          save(api.put('/addresses', { allow: list }), 'Saved. It counts from now on.', 'addresses')
        }}
      >
        <Stack $gap={10}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <ListField
            label="Addresses and networks"
            value={list}
            onChange={setList}
            placeholder="10.20.0.0/16, 192.168.7.25"
            hint="Each an address, or a network with the length of its prefix."
            error={trouble?.errors[0] && `${trouble.errors[0].path}: ${trouble.errors[0].message}`}
            mono
          />
          <Row>
            <Button type="submit" kind="strong">
              Save
            </Button>
          </Row>
        </Stack>
      </form>
    </Card>
  )
}
