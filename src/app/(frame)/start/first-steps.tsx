'use client'
import { Check, Circle } from 'lucide-react'
import type { ReactNode } from 'react'
import { mayDo, type Right } from '@/core/people/roles'
import type { FirstStep, StartPage } from '@/service/watch/start-page'
import { useMe } from '@/ui/hooks/me'
import { Card } from '@/ui/parts/card'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const WORDS: Readonly<
  Record<FirstStep, { readonly title: string; readonly why: string; readonly href: string; readonly right: Right }>
> = {
  agent: {
    title: 'Enrol an agent',
    why: 'the program on a machine that does the work: one pasted command',
    href: '/fleet?enrol=1',
    right: 'administer',
  },
  job: {
    title: 'Make a job',
    why: 'what is done, where, and what counts as success',
    href: '/work/jobs/new',
    right: 'design',
  },
  run: { title: 'Start it', why: 'by hand, and watch its output arrive', href: '/work', right: 'operate' },
  calendar: {
    title: 'Make a calendar',
    why: 'the days on which work is done, or is not',
    href: '/timing/calendars/new',
    right: 'design',
  },
  trigger: {
    title: 'Let it start by itself',
    why: 'a trigger says when',
    href: '/timing/triggers/new',
    right: 'design',
  },
  notice: {
    title: 'Have somebody told',
    why: 'when it fails, or is late',
    href: '/settings?tab=notices',
    right: 'design',
  },
  person: {
    title: 'Bring in somebody else',
    why: 'nobody watches alone',
    href: '/settings?tab=people',
    right: 'administer',
  },
}

/** What leads from an empty server to a night that runs by itself; each ticks itself once it is there. */
export function FirstSteps({ steps }: { readonly steps: NonNullable<StartPage['steps']> }): ReactNode {
  const { role } = useMe()
  const next = steps.find(({ id, isDone }) => !isDone && mayDo(role, WORDS[id].right))?.id
  const left = steps.filter(({ isDone }) => !isDone).length
  return (
    <Card>
      <h2>First steps</h2>
      <Small>{left === 1 ? 'One is left.' : `${left} are left.`} Each ticks itself once it is there.</Small>
      <Stack as="ol" $gap={8} style={{ margin: 0, padding: 0, listStyle: 'none' }}>
        {steps.map(({ id, isDone }) => {
          const { title, why, href, right } = WORDS[id]
          return (
            <Row as="li" key={id} aria-current={id === next ? 'step' : undefined}>
              {isDone ? <Check size={16} aria-label="done" /> : <Circle size={16} aria-label="to do" />}
              {isDone || !mayDo(role, right) ? (
                <span>{title}</span>
              ) : (
                <Link href={href}>{id === next ? <b>{title}</b> : title}</Link>
              )}
              <Small>{!isDone && !mayDo(role, right) ? 'by an administrator' : why}</Small>
            </Row>
          )
        })}
      </Stack>
    </Card>
  )
}
