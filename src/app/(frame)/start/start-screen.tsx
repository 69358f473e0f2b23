'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { StartPage } from '@/service/watch/start-page'
import { api } from '@/ui/api'
import { useMe } from '@/ui/hooks/me'
import { useOpened } from '@/ui/hooks/opened'
import { Card } from '@/ui/parts/card'
import { Page, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Ago } from '@/ui/parts/time'
import { FirstSteps } from './first-steps'

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  align-items: start;
  gap: 16px;
  time {
    white-space: nowrap;
  }
  @media (max-width: 900px) {
    grid-template-columns: minmax(0, 1fr);
  }
`

/** Each person's own page: what a new server still needs, what is theirs, what they opened last. */
export function StartScreen(): ReactNode {
  const me = useMe()
  const opened = useOpened()
  // Under each of the keys that say what changed: it ticks itself.
  const { data, error } = useQuery({
    queryKey: ['matters', 'start'],
    queryFn: () => api.get<StartPage>('/start'),
    refetchInterval: 10_000,
  })
  return (
    <Page>
      <Row>
        <h1>{me.name}</h1>
        <Spring />
        <Small>
          Where Bugle opens is your choice: <Link href="/settings">Settings</Link>
        </Small>
      </Row>
      {error && <Trouble error={error} />}
      <Two>
        <Stack $gap={16}>
          {data?.steps && <FirstSteps steps={data.steps} />}
          <Card>
            <h2>You took</h2>
            {data?.taken.length === 0 && (
              <Small>
                Nothing at the moment. What needs a person stands under <Link href="/watch">Watch</Link>.
              </Small>
            )}
            <Stack as="ul" $gap={6} style={{ margin: 0, padding: 0, listStyle: 'none' }}>
              {data?.taken.map((matter) => (
                <Row as="li" key={matter.id}>
                  <Link href={matter.runId === null ? '/watch' : `/runs/${matter.runId}`}>
                    <b>{matter.title}</b>
                  </Link>
                  <Small>{matter.note || matter.reason || matter.evidence}</Small>
                  <Spring />
                  {matter.takenAt !== null && <Ago at={matter.takenAt} />}
                </Row>
              ))}
            </Stack>
          </Card>
        </Stack>
        <Card>
          <h2>Opened last</h2>
          {opened.length === 0 && <Small>Jobs, flows, triggers, calendars and runs that you open stand here.</Small>}
          <Stack as="ul" $gap={6} style={{ margin: 0, padding: 0, listStyle: 'none' }}>
            {opened.map(({ href, title, what, at }) => (
              <Row as="li" key={href}>
                <Link href={href}>
                  <b>{title}</b>
                </Link>
                <Small>{what}</Small>
                <Spring />
                <Ago at={new Date(at).toISOString()} />
              </Row>
            ))}
          </Stack>
        </Card>
      </Two>
    </Page>
  )
}
