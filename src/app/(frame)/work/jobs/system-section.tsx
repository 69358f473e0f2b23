'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, type ReactNode } from 'react'
import { isReached, isSignedIn, onSystem, saidBy, systemFault } from '@/core/work/systems'
import type { JobDefinition } from '@/core/work/job'
import type { SystemChoice } from '@/service/work/system-pages'
import type { Said } from '@/app/shared/work/connections/said'
import { api } from '@/ui/api'
import { Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import type { SectionProps } from './section-props'

const NOTHING: Said = { fields: new Set(), by: '' }
const NONE = 'none'

interface OnSystem {
  /** What the system says of the job. */
  readonly said: Said
  /** A definition as it is on the system that it names. */
  readonly place: (definition: JobDefinition) => JobDefinition
}

/** The systems that there are, and what the chosen one makes of a job. */
export function useOnSystem({ system: name, action }: JobDefinition): OnSystem {
  const choices = useChoices()
  return useMemo(() => {
    const place = (definition: JobDefinition): JobDefinition => {
      const to = choices.find(({ slug }) => slug === definition.system)
      return to && systemFault(definition.action, to.title, to) === null ? onSystem(definition, to) : definition
    }
    const system = choices.find(({ slug }) => slug === name)
    if (!system || !isReached(action.kind) || systemFault(action, system.title, system) !== null)
      return { place, said: NOTHING }
    const fields = new Set(Object.keys(saidBy(action, system)))
    if (system.pool !== null) fields.add('target')
    if (system.account !== null && isSignedIn(action.kind)) fields.add('account')
    return { place, said: { fields, by: system.title } }
  }, [choices, name, action])
}

function useChoices(): readonly SystemChoice[] {
  const { data } = useQuery({
    queryKey: ['system-choices'],
    queryFn: () => api.get<SystemChoice[]>('/systems/choices'),
  })
  return data ?? NO_CHOICES
}
const NO_CHOICES: readonly SystemChoice[] = []

/** What it serves or is done on, and what that says for it. */
export function SystemSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const choices = useChoices()
  const { action, system: name } = definition
  if (choices.length === 0 && name === null) return null
  const fitting = choices.filter((one) => one.slug === name || systemFault(action, one.title, one) === null)
  const chosen = choices.find(({ slug }) => slug === name)
  const fault = chosen ? systemFault(action, chosen.title, chosen) : null
  const takesAddress = isReached(action.kind)
  return (
    <Part aria-label="System">
      <h2>System</h2>
      <Sentence>
        <Word>{takesAddress ? 'It is done on' : 'It serves'}</Word>
        <Select
          label="System"
          hideLabel
          value={name ?? NONE}
          onChange={(slug) => define({ system: slug === NONE ? null : slug })}
          choices={[
            { id: NONE, title: takesAddress ? 'an address of its own' : 'no system in particular' },
            ...fitting.map(({ slug, title }) => ({ id: slug, title })),
          ]}
          error={fault ?? faultOf('definition.system')}
          width="260px"
        />
        {chosen && (
          <Small style={{ lineHeight: '28px' }}>
            {takesAddress && `${addressWords(chosen)} · `}
            <Link href={`/fleet/systems/${chosen.id}`} style={{ textDecoration: 'underline' }}>
              open it
            </Link>
          </Small>
        )}
      </Sentence>
    </Part>
  )
}

/** Where it is, as whom, from where. */
const addressWords = ({ host, port, database, tls, account, pool }: SystemChoice): string =>
  [
    host === null
      ? 'no address yet'
      : `${database === null ? '' : `${database} on `}${host}${port === null ? '' : `:${port}`}`,
    tls ? 'by TLS' : '',
    account === null ? '' : `as ${account}`,
    pool === null ? '' : `from ${pool}`,
  ]
    .filter(Boolean)
    .join(', ')
