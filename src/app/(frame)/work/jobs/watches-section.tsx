import type { ReactNode } from 'react'
import { MASKS } from '@/core/compare/masks'
import type { Watches } from '@/core/work/watches'
import { faultIn } from '@/ui/hooks/draft'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Part } from '@/ui/parts/sentence'
import type { SectionProps } from './section-props'

const ALL: Watches = { masks: [...MASKS], patterns: [], matter: false }

/** Whether a success that wrote something else than the one before is told, and what of its lines counts. */
export function WatchesSection({ definition: { watches, action }, define, faultOf }: SectionProps): ReactNode {
  if (action.kind === 'wait' && watches === null) return null
  const change = (some: Partial<Watches>): void => define({ watches: { ...(watches ?? ALL), ...some } })
  const set = new Set(watches?.masks)
  return (
    <Part aria-label="Its output">
      <h2>Watch</h2>
      <Stack>
        <Checkbox isSelected={watches !== null} onChange={(on) => define({ watches: on ? ALL : null })}>
          A success that has written something else than the one before is told: to notices, and to triggers that wait
          for it
        </Checkbox>
        {faultOf('definition.watches') && <Small role="alert">{faultOf('definition.watches')}</Small>}
        {watches && (
          <>
            <Row $wrap $gap={12} role="group" aria-label="Does not count">
              <Small>Does not count:</Small>
              {MASKS.map((name) => (
                <Checkbox
                  key={name}
                  isSelected={set.has(name)}
                  onChange={(on) => change({ masks: MASKS.filter((each) => (each === name ? on : set.has(each))) })}
                >
                  {name}
                </Checkbox>
              ))}
            </Row>
            <TextField
              label="Nor does what fits these expressions, one a line"
              value={watches.patterns.join('\n')}
              onChange={(text) => change({ patterns: text === '' ? [] : text.split('\n') })}
              error={faultIn(faultOf, 'definition.watches.patterns', watches.patterns)}
              rows={2}
              mono
              placeholder="row \d+"
            />
            <Checkbox isSelected={watches.matter} onChange={(matter) => change({ matter })}>
              Open a matter, too, for somebody to look at
            </Checkbox>
          </>
        )}
      </Stack>
    </Part>
  )
}
