'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Role } from '@/core/people/roles'
import { ROLE_CHOICES } from '@/app/shared/people/words'
import type { ProviderRow } from '@/service/elsewhere/providers'
import type { GroupRow } from '@/service/people/groups'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, Switch, TextField } from '@/ui/parts/fields'
import { Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { RowActions } from '@/ui/parts/row-actions'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'

/** Where people sign in elsewhere, by OpenID Connect. */
export function Providers(): ReactNode {
  const { data = [] } = useQuery({ queryKey: ['providers'], queryFn: () => api.get<ProviderRow[]>('/providers') })
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState<ProviderRow | 'new' | null>(null)
  const [removing, setRemoving] = useState<ProviderRow | null>(null)
  const refresh = (): void => void client.invalidateQueries({ queryKey: ['providers'] })
  return (
    <>
      <Row style={{ padding: '14px 12px 8px' }}>
        <h2>Sign-in elsewhere</h2>
        <Small>People come in by what they sign in with already, if it speaks OpenID Connect.</Small>
        <Spring />
        <Button onPress={() => setEditing('new')}>Add a provider</Button>
      </Row>
      {data.length > 0 && (
        <Table
          label="Sign-in elsewhere"
          rows={data}
          isDim={(row) => !row.active}
          columns={[
            { id: 'title', title: 'Sign in with', cell: (row) => <b>{row.title}</b> },
            { id: 'issuer', title: 'At', cell: (row) => row.issuer },
            {
              id: 'people',
              title: 'Came by it',
              cell: (row) => (row.people === 1 ? '1 person' : `${row.people} people`),
            },
            { id: 'rules', title: 'Rules', cell: (row) => count(row.rules.length, 'rule') },
            { id: 'active', title: 'State', cell: (row) => (row.active ? 'on' : 'switched off') },
            {
              id: 'acts',
              title: '',
              cell: (row) => (
                <RowActions
                  name={row.title}
                  onChange={() => setEditing(row)}
                  onRemove={() => setRemoving(row)}
                  whyNot={undefined}
                />
              ),
            },
          ]}
        />
      )}
      {editing !== null && (
        <ProviderDialog
          row={editing === 'new' ? null : editing}
          onClose={() => setEditing(null)}
          onDone={() => {
            refresh()
            setEditing(null)
            say('Saved.')
          }}
        />
      )}
      <Confirm
        title={`Remove ${removing?.title ?? ''}?`}
        isOpen={removing !== null}
        onClose={() => setRemoving(null)}
        word="Remove it"
        onConfirm={() =>
          removing &&
          void api
            .delete(`/providers/${removing.id}`)
            .then(refresh, (error: ApiProblem) => say(error.detail, { bad: true }))
        }
      >
        Who is signed in by it is signed out. Its people stay; who has no password is let in by a new one that you set.
      </Confirm>
    </>
  )
}

interface Rule {
  readonly value: string
  /** `role ROLE` or `group ID`. */
  readonly gives: string
}

const ruleOf = ({ value, gives }: Rule): object => {
  const [kind, what = ''] = gives.split(' ')
  return kind === 'group' ? { value, groupId: Number(what) } : { value, role: what }
}

function ProviderDialog({
  row,
  onClose,
  onDone,
}: {
  readonly row: ProviderRow | null
  readonly onClose: () => void
  readonly onDone: () => void
}): ReactNode {
  const { data: groups = [] } = useQuery({ queryKey: ['groups'], queryFn: () => api.get<GroupRow[]>('/groups') })
  const [values, setValues] = useState({
    title: row?.title ?? '',
    issuer: row?.issuer ?? '',
    clientId: row?.clientId ?? '',
    claim: row?.claim ?? 'groups',
    makesPeople: row?.makesPeople ?? false,
    role: row?.role ?? ('viewer' as Role),
    active: row?.active ?? true,
  })
  const [secret, setSecret] = useState('')
  const [rules, setRules] = useState<readonly Rule[]>(
    row?.rules.flatMap(({ value, role, groupId }) => [
      ...(role === undefined ? [] : [{ value, gives: `role ${role}` }]),
      ...(groupId === undefined ? [] : [{ value, gives: `group ${groupId}` }]),
    ]) ?? [],
  )
  const { trouble, setTrouble, faultOf } = useTrouble()
  const set = (change: Partial<typeof values>): void => setValues({ ...values, ...change })
  const setRule = (at: number, change: Partial<Rule>): void =>
    setRules(rules.map((rule, i) => (i === at ? { ...rule, ...change } : rule)))
  const gives = [
    ...ROLE_CHOICES.map(({ id, title }) => ({ id: `role ${id}`, title: `role ${title}` })),
    ...groups.map(({ id, title }) => ({ id: `group ${id}`, title: `group ${title}` })),
  ]
  const send = (): void => {
    const content = { ...values, rules: rules.map(ruleOf), ...(secret === '' ? {} : { clientSecret: secret }) }
    ;(row ? api.put(`/providers/${row.id}`, content) : api.post('/providers', content)).then(onDone, setTrouble)
  }
  const ruleFault = trouble?.errors.find(({ path }) => path.startsWith('rules'))
  return (
    <Dialog title={row ? `Sign-in with ${row.title}` : 'Add a provider'} isOpen onClose={onClose} width={560}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          send()
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField
            label="Sign in with"
            value={values.title}
            onChange={(title) => set({ title })}
            error={faultOf('title')}
            autoFocus
          />
          <TextField
            label="Issuer"
            value={values.issuer}
            onChange={(issuer) => set({ issuer })}
            error={faultOf('issuer')}
            hint="As the provider writes it: https://sign-in.example"
            mono
          />
          <Row $top>
            <TextField
              label="Client id"
              value={values.clientId}
              onChange={(clientId) => set({ clientId })}
              error={faultOf('clientId')}
              mono
              width="200px"
            />
            <TextField
              label="Client secret"
              type="password"
              value={secret}
              onChange={setSecret}
              hint={row?.hasSecret ? 'Left empty, it stays.' : undefined}
              error={faultOf('clientSecret')}
              autoComplete="off"
              width="260px"
            />
          </Row>
          <Small>
            Register there as the address to come back to: <Mono>{`${window.location.origin}/api/sign-in/back`}</Mono>
          </Small>
          <Row $top>
            <Select
              label="Role where no rule gives one"
              value={values.role}
              onChange={(role) => set({ role })}
              choices={ROLE_CHOICES}
              width="220px"
            />
            <TextField
              label="Rules look at the claim"
              value={values.claim}
              onChange={(claim) => set({ claim })}
              error={faultOf('claim')}
              mono
              width="200px"
            />
          </Row>
          {rules.map((rule, at) => (
            <Row key={at} $top>
              <TextField
                label={`Value of rule ${at + 1}`}
                hideLabel
                placeholder="value"
                value={rule.value}
                onChange={(value) => setRule(at, { value })}
                width="200px"
                mono
              />
              <Select
                label={`What rule ${at + 1} gives`}
                hideLabel
                value={rule.gives}
                onChange={(next) => setRule(at, { gives: next })}
                choices={gives}
                width="220px"
              />
              <Button
                kind="quiet"
                aria-label={`Remove rule ${at + 1}`}
                onPress={() => setRules(rules.filter((_, i) => i !== at))}
              >
                Remove
              </Button>
            </Row>
          ))}
          {ruleFault && (
            <Small role="alert">
              {ruleFault.path}: {ruleFault.message}
            </Small>
          )}
          <Row>
            <Button kind="quiet" onPress={() => setRules([...rules, { value: '', gives: 'role viewer' }])}>
              Add a rule
            </Button>
          </Row>
          <Checkbox isSelected={values.makesPeople} onChange={(makesPeople) => set({ makesPeople })}>
            Whoever comes for the first time is made a person here
          </Checkbox>
          <Switch isSelected={values.active} onChange={(active) => set({ active })}>
            {values.active ? 'On' : 'Switched off: nobody comes in by it'}
          </Switch>
          <DialogButtons onClose={onClose}>Save</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
