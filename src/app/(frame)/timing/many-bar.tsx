'use client'
import { useState, type ReactNode } from 'react'
import { PRIORITIES } from '@/core/dispatch/types'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { ChosenBar } from '@/ui/parts/chosen-bar'
import { Confirm } from '@/ui/parts/dialog'
import { Select } from '@/ui/parts/select'

/** One change to all that are chosen. */
export function ManyBar({
  count,
  onChange,
  onClear,
}: {
  count: number
  onChange: (change: object, said: string) => void
  onClear: () => void
}): ReactNode {
  const { why } = useMay('design')
  const operate = useMay('operate')
  const [removing, setRemoving] = useState(false)
  const those = count === 1 ? 'one trigger' : `${count} triggers`
  return (
    <>
      <ChosenBar says={`${count === 1 ? 'One is' : `${count} are`} chosen`} onClear={onClear}>
        <Button onPress={() => onChange({ enabled: false }, `${those} switched off.`)} whyNot={operate.why}>
          Switch off
        </Button>
        <Button onPress={() => onChange({ enabled: true }, `${those} switched on.`)} whyNot={operate.why}>
          Switch on
        </Button>
        <Select
          label="Priority of those chosen"
          hideLabel
          value={null}
          placeholder="Priority …"
          onChange={(priority) => onChange({ priority }, `Priority of ${those} is ${priority}.`)}
          choices={PRIORITIES.map((id) => ({ id, title: id }))}
          width="120px"
          whyNot={why}
        />
        <Select
          label="If the one before still runs"
          hideLabel
          value={null}
          placeholder="If one still runs …"
          onChange={(overlap) => onChange({ overlap }, `Changed for ${those}.`)}
          choices={[
            { id: 'wait', title: 'wait for it' },
            { id: 'skip', title: 'skip' },
            { id: 'start', title: 'start anyway' },
            { id: 'replace', title: 'replace it' },
          ]}
          width="160px"
          whyNot={why}
        />
        <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
          Remove
        </Button>
      </ChosenBar>
      <Confirm
        title={`Remove ${those}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove"
        onConfirm={() => onChange({ remove: true }, `${those} removed.`)}
      >
        They start nothing any more and leave the list. What they have started stays, with its history.
      </Confirm>
    </>
  )
}
