'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { visible } from '@/core/schema/plain-text'
import { shellQuote } from '@/core/work/command'
import type { AttemptRow, FlowRunFull, RunFull } from '@/service/runs/run-page'
import { duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { Button } from '@/ui/parts/button'
import { Mono, Mute, Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'

const Box = styled.pre`
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 8px 10px;
  position: relative;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`
const Pairs = styled.dl`
  display: grid;
  grid-template-columns: 130px 1fr;
  gap: 5px 14px;
  align-items: baseline;
  dt {
    color: var(--mute);
  }
  dd {
    overflow-wrap: anywhere;
  }
`

const Inside = styled(Stack)`
  padding: 12px 14px;
`

/** Enough to repeat it by hand on that machine. */
export function WhatRan({ run, attempt }: { run: RunFull; attempt: AttemptRow }): ReactNode {
  const say = useSay()
  const ran = attempt.whatRan
  if (!ran) return <Mute style={{ padding: 16 }}>The agent has not said yet what it started.</Mute>
  const { byHand } = attempt
  const variables = Object.entries(ran.environment)
  return (
    <Inside $gap={12}>
      <Pairs>
        <dt>command</dt>
        <dd>
          <Mono>{visible(ran.argv.map(shellQuote).join(' '))}</Mono>
        </dd>
        <dt>folder</dt>
        <dd>
          <Mono>{visible(ran.folder)}</Mono>
        </dd>
        <dt>environment</dt>
        <dd>
          {variables.length === 0 ? (
            <Mute>nothing beside the agent’s own</Mute>
          ) : (
            variables.map(([name, value]) => (
              <div key={name}>
                <Mono>{visible(`${name}=${value}`)}</Mono>
                {run.secretInputs.includes(name) && <Small> secret, masked</Small>}
              </div>
            ))
          )}
        </dd>
        <dt>user</dt>
        <dd>
          {ran.user}
          {ran.pid !== null && <Small> · process {ran.pid}</Small>}
        </dd>
        <dt>agent</dt>
        <dd>
          <Link href={`/fleet/agents/${attempt.agentId}`}>{attempt.agent}</Link>{' '}
          <Small>version {ran.agentVersion}</Small>
        </dd>
        {ran.robot && (
          <>
            <dt>robot</dt>
            <dd>
              {attempt.robotId === null ? (
                ran.robot.name
              ) : (
                <Link href={`/fleet/robots/${attempt.robotId}`}>{ran.robot.name}</Link>
              )}{' '}
              <Small>
                under {ran.robot.account}; its hours were {ran.robot.hours}
              </Small>
            </dd>
          </>
        )}
        <dt>try</dt>
        <dd>
          {attempt.number} of {run.maxAttempts}
        </dd>
      </Pairs>
      {run.definition.action.kind === 'script' && (
        <Stack $gap={4}>
          <Small>script for {run.definition.action.interpreter}</Small>
          <Box tabIndex={0}>{visible(run.definition.action.script)}</Box>
        </Stack>
      )}
      {Object.keys(attempt.outputs).length > 0 && (
        <Stack $gap={4}>
          <Small>handed on to later steps</Small>
          <Pairs>
            {Object.entries(attempt.outputs).map(([name, value]) => (
              <div key={name} style={{ display: 'contents' }}>
                <dt>{name}</dt>
                <dd>
                  <Mono>{visible(value)}</Mono>
                </dd>
              </div>
            ))}
          </Pairs>
        </Stack>
      )}
      {byHand !== null && (
        <Stack $gap={4}>
          <Row>
            <Small>to repeat it by hand on {attempt.agent}</Small>
            <Spring />
            <Button
              onPress={() =>
                void navigator.clipboard.writeText(byHand).then(
                  () => say('Copied.'),
                  () => say('The browser does not allow copying here. Select the text instead.', { bad: true }),
                )
              }
            >
              Copy
            </Button>
          </Row>
          <Box tabIndex={0}>{visible(byHand)}</Box>
        </Stack>
      )}
    </Inside>
  )
}

export function InputList({ run }: { run: RunFull | FlowRunFull }): ReactNode {
  if (run.definition.inputs.length === 0) return <Mute style={{ padding: 16 }}>It asks for nothing.</Mute>
  return (
    <Inside>
      <Pairs>
        {run.definition.inputs.map((input) => (
          <div key={input.name} style={{ display: 'contents' }}>
            <dt>{input.title || input.name}</dt>
            <dd>
              {input.type === 'secret' ? (
                <Mute>secret, never shown</Mute>
              ) : (
                <Mono>{visible(run.inputs[input.name] ?? '')}</Mono>
              )}
              {input.title && <Small> {input.name}</Small>}
            </dd>
          </div>
        ))}
      </Pairs>
    </Inside>
  )
}

export function Tries({ run }: { run: RunFull }): ReactNode {
  const { set } = useAddress()
  if (run.tries.length === 0) return <Mute style={{ padding: 16 }}>It has not been tried yet.</Mute>
  return (
    <Table
      label="Tries"
      rows={run.tries}
      onOpen={(attempt) => set({ try: String(attempt.number), tab: null }, 'replace')}
      columns={[
        { id: 'number', title: 'Try', cell: (a) => `${a.number} of ${run.maxAttempts}` },
        {
          id: 'state',
          title: 'State',
          cell: (a) => (
            <StateWord
              mark={(a.endedAt ? a.state : 'running') as Mark}
              word={a.endedAt ? a.state : a.startedAt ? 'running' : 'handed out'}
            />
          ),
        },
        {
          id: 'agent',
          title: 'Machine',
          cell: (a) => (a.robot ? `${a.robot} on ${a.agent}` : a.agent),
        },
        { id: 'handed', title: 'Handed out', cell: (a) => <Time at={a.handedAt} /> },
        { id: 'started', title: 'Started', cell: (a) => <Time at={a.startedAt} /> },
        {
          id: 'took',
          title: 'Took',
          align: 'right',
          cell: (a) =>
            a.endedAt ? duration(new Date(a.endedAt).getTime() - new Date(a.startedAt ?? a.handedAt).getTime()) : '',
        },
        { id: 'exit', title: 'Exit', align: 'right', cell: (a) => a.exitCode ?? '' },
        { id: 'lines', title: 'Lines', align: 'right', cell: (a) => a.outputLines },
        { id: 'reason', title: 'Why', cell: (a) => a.reason },
      ]}
    />
  )
}
