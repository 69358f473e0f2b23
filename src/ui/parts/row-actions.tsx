import type { ReactNode } from 'react'
import { Button } from './button'
import { Row } from './layout'

/** What can be done with one row of a list: each button says which row it is of. `whyNot`: why the person may do neither. */
export function RowActions({
  name,
  onChange,
  onRemove,
  whyNot,
}: {
  readonly name: string
  readonly onChange: () => void
  readonly onRemove: () => void
  readonly whyNot: string | undefined
}): ReactNode {
  return (
    <Row $gap={4}>
      <Button kind="quiet" aria-label={`Change ${name}`} onPress={onChange} whyNot={whyNot}>
        Change
      </Button>
      <Button kind="quiet" aria-label={`Remove ${name}`} onPress={onRemove} whyNot={whyNot}>
        Remove
      </Button>
    </Row>
  )
}
