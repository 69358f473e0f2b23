'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { visible } from '@/core/schema/plain-text'
import type { MatterRow } from '@/service/runs/matters'
import type { ApiProblem } from '@/ui/api'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { useAway } from '@/ui/hooks/reach'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark, type Mark } from '@/ui/parts/state-mark'
import { Time } from '@/ui/parts/time'

const Head = styled(Row)`
  padding: 0 14px 10px;
`
const Card = styled.li<{ $colour: string; $taken: boolean }>`
  margin: 0 14px 10px;
  padding: 8px 11px 10px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-left: 4px solid ${(p) => (p.$taken ? 'var(--line-strong)' : `var(--${p.$colour})`)};
  border-radius: 3px;
  display: flex;
  flex-direction: column;
  gap: 6px;
  h3 {
    display: flex;
    gap: 7px;
    align-items: center;
  }
  p {
    color: var(--mute);
    overflow-wrap: anywhere;
  }
`
const Evidence = styled.div<{ $colour: string }>`
  background: var(--${({ $colour }) => $colour}-soft);
  color: var(--${({ $colour }) => $colour});
  white-space: pre-wrap;
  border-radius: 3px;
  padding: 4px 8px;
  font-family: 'JetBrains Mono Variable', monospace;
  font-size: 12px;
  /* A line that tells is seldom longer than this; the rest is a word away. */
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
  overflow: hidden;
  overflow-wrap: anywhere;
`

/** What needs a person, each in one sentence, with its evidence and the next steps. */
export function Matters(): ReactNode {
  const { data, isPending } = useQuery({ queryKey: ['matters'], queryFn: () => api.get<MatterRow[]>('/matters') })
  const away = useAway()
  const open = data?.filter((m) => m.state === 'open').length ?? 0
  const taken = (data?.length ?? 0) - open
  return (
    <>
      <Head>
        <h1>Needs a person</h1>
        <Spring />
        <Small>{data && `${open} open · ${taken} taken`}</Small>
        {data && data.length > 0 && <ExportButton list="matters" />}
      </Head>
      {!isPending && away && data?.length === 0 && (
        <Stack style={{ padding: '0 14px' }}>
          <h3>Not known.</h3>
          <Small>Nothing stood here when Bugle last answered.</Small>
        </Stack>
      )}
      {!isPending && !away && data?.length === 0 && (
        <Stack style={{ padding: '0 14px' }}>
          <h3>All is well.</h3>
          <Small>
            Runs that fail or are lost, and agents that stop calling, stand here until somebody has dealt with them.
          </Small>
        </Stack>
      )}
      <ul>
        {data?.map((matter) => (
          <Matter key={matter.id} matter={matter} />
        ))}
      </ul>
    </>
  )
}

function Matter({ matter }: { matter: MatterRow }): ReactNode {
  const { why } = useMay('operate')
  const client = useQueryClient()
  const router = useRouter()
  const say = useSay()
  const [taking, setTaking] = useState(false)
  const [closing, setClosing] = useState(false)
  const isRun = matter.runId !== null && matter.kind !== 'agent-away' && matter.kind !== 'trouble'
  const isRisk = matter.kind === 'run-at-risk' || matter.kind === 'deadline-at-risk'
  const { colour, mark } = LOOKS[matter.kind]
  const isBad = matter.kind === 'run-failed' || matter.kind === 'run-lost'
  const page = pageOf(matter)
  const lines = matter.evidence.split('\n').map(visible).join('\n')
  const act = async (work: Promise<unknown>): Promise<void> => {
    await work
    void client.invalidateQueries({ queryKey: ['matters'] })
  }
  const again = (): void => {
    api.post<{ id: number }>(`/runs/${matter.runId}/again`, { requestKey: crypto.randomUUID() }).then(
      ({ id }) => router.push(`/runs/${id}`),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Card $colour={colour} $taken={matter.state === 'taken'}>
      <h3>
        <StateMark mark={mark} />
        {page ? <Link href={page.href}>{headline(matter)}</Link> : headline(matter)}
      </h3>
      {matter.state === 'taken' ? (
        <p>
          Taken by {matter.takenBy} <Time at={matter.takenAt} />
          {matter.note && ` · “${matter.note}”`}
        </p>
      ) : (
        <>
          <p>
            {isRun ? (
              <>
                #{matter.runId}
                {matter.maxAttempts > 1 && ` · try ${matter.attempts} of ${matter.maxAttempts}`} ·{' '}
                <Time at={matter.lastAt} withRelative />
                {matter.times > 1 && ` · ${count(matter.times, 'time')} in a row`}.{' '}
                {isBad ? (matter.isFlow ? flowFacts(matter) : matter.reason) : null}
                {matter.dueAt && (
                  <>
                    {' '}
                    To finish by <Time at={matter.dueAt} />.
                  </>
                )}
                {isRisk && ` ${visible(matter.evidence)}`}
              </>
            ) : matter.kind === 'deadline-at-risk' ? (
              <>
                Still to begin; known since <Time at={matter.openedAt} withRelative />. {visible(matter.evidence)}
              </>
            ) : matter.kind === 'trouble' ? (
              <>
                <Time at={matter.lastAt} withRelative />
                {matter.times > 1 && (
                  <>
                    {' '}
                    · {count(matter.times, 'time')} since <Time at={matter.openedAt} />
                  </>
                )}
                . {visible(matter.evidence)}
              </>
            ) : (
              <>
                Silent since <Time at={matter.openedAt} withRelative />.{' '}
                {matter.held === 0
                  ? 'Nothing was running on it.'
                  : `${count(matter.held, 'run')} on it; given up as lost if it stays away.`}
              </>
            )}
          </p>
          {isRun && !isRisk && matter.evidence && (
            <Evidence $colour={isBad ? 'failed' : colour} title={lines}>
              {lines}
            </Evidence>
          )}
        </>
      )}
      <Row $gap={6} $wrap>
        {isBad && matter.state === 'open' && !matter.isFlow && (
          <Button kind="strong" onPress={again} whyNot={why}>
            Run again
          </Button>
        )}
        {isBad && matter.state === 'open' && matter.isFlow && !matter.isOpen && matter.stepPath && (
          <Button kind="strong" onPress={() => router.push(`${page?.href}&do=again`)} whyNot={why}>
            Run again from {matter.stepTitle}
          </Button>
        )}
        {page && <ButtonLink href={page.href}>{page.words}</ButtonLink>}
        {matter.state === 'open' && (
          <Button onPress={() => setTaking(true)} whyNot={why}>
            Take
          </Button>
        )}
        <Button kind="quiet" onPress={() => setClosing(true)} whyNot={why}>
          Close
        </Button>
      </Row>
      <TakeDialog
        isOpen={taking}
        onClose={() => setTaking(false)}
        onDo={(note) => act(api.post(`/matters/${matter.id}/take`, { note }))}
      />
      <CloseDialog
        isOpen={closing}
        onClose={() => setClosing(false)}
        onDo={(done) => act(api.post(`/matters/${matter.id}/close`, { done }))}
      />
    </Card>
  )
}

const LOOKS: Record<MatterRow['kind'], { colour: string; mark: Mark }> = {
  'run-failed': { colour: 'failed', mark: 'failed' },
  'run-lost': { colour: 'lost', mark: 'lost' },
  'run-at-risk': { colour: 'late', mark: 'late' },
  'deadline-at-risk': { colour: 'late', mark: 'late' },
  'run-late': { colour: 'late', mark: 'late' },
  'output-changed': { colour: 'late', mark: 'late' },
  'agent-away': { colour: 'lost', mark: 'away' },
  trouble: { colour: 'late', mark: 'late' },
}

/** Where it is looked into; null: there is no page of it. */
/** Where a matter leads, and what the way there is called. */
function pageOf({
  kind,
  runId,
  agentId,
  triggerId,
  queueId,
  stepPath,
  isRestore,
}: MatterRow): { readonly href: string; readonly words: string } | null {
  if (isRestore) return { href: '/timing/since-back-up', words: 'Look at what ran' }
  if (kind === 'agent-away' || (kind === 'trouble' && agentId !== null))
    return { href: `/fleet/agents/${agentId}`, words: 'Open agent' }
  if (queueId) return { href: `/work/queues/${queueId}`, words: 'Open queue' }
  if (triggerId !== null) return { href: `/timing/triggers/${triggerId}`, words: 'Open trigger' }
  if (runId === null) return null
  const href = stepPath === null ? `/runs/${runId}` : `/runs/${runId}?step=${encodeURIComponent(stepPath)}`
  return { href, words: kind === 'run-failed' || kind === 'run-lost' ? 'Output' : 'Open run' }
}

function headline({ kind, title, stepTitle, agentName }: MatterRow): ReactNode {
  if (kind === 'agent-away') return <>{title} has not called</>
  if (kind === 'trouble') return title
  if (kind === 'run-at-risk' || kind === 'deadline-at-risk') return `${title} is at risk of being late`
  if (kind === 'run-late') return `${title} is late`
  if (kind === 'output-changed') return `${title} has written something else`
  const where = agentName ? ` on ${agentName}` : ''
  return `${title} ${kind === 'run-lost' ? 'was lost' : 'failed'}${stepTitle ? ` at ${stepTitle}` : ''}${where}`
}

function flowFacts({ isOpen, passedOver }: MatterRow): string {
  const because = passedOver === 0 ? '' : ` ${count(passedOver, 'step')} passed over because of it.`
  return `${isOpen ? 'The rest of the flow goes on.' : 'The flow has ended.'}${because}`
}

interface WordProps {
  readonly isOpen: boolean
  readonly onClose: () => void
  readonly onDo: (text: string) => Promise<unknown>
}

const TakeDialog = (props: WordProps): ReactNode => (
  <WordDialog {...props} title="Take this matter" label="A word for the others (optional)" does="Take it">
    Everybody sees that you look after it. It closes by itself when a new run succeeds.
  </WordDialog>
)

const CloseDialog = (props: WordProps): ReactNode => (
  <WordDialog {...props} title="Close this matter" label="What was done (optional)" does="Close it">
    It stands in the night’s log, with what was done about it.
  </WordDialog>
)

function WordDialog({
  isOpen,
  onClose,
  onDo,
  title,
  label,
  does,
  children,
}: WordProps & {
  readonly title: string
  readonly label: string
  readonly does: string
  readonly children: ReactNode
}): ReactNode {
  const [text, setText] = useState('')
  const { trouble, setTrouble } = useTrouble()
  return (
    <Dialog title={title} isOpen={isOpen} onClose={onClose}>
      <p>{children}</p>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          onDo(text).then(onClose, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <TextField label={label} value={text} onChange={setText} autoFocus />
          <Trouble error={trouble} />
          <DialogButtons onClose={onClose}>{does}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
