'use client'
import { ArrowDown, ArrowUp } from 'lucide-react'
import type { ReactNode } from 'react'
import { Dialog as AriaDialog, DialogTrigger } from 'react-aria-components'
import { Button } from '@/ui/parts/button'
import { Checkbox } from '@/ui/parts/fields'
import { Row, Spring, Stack } from '@/ui/parts/layout'
import { PopoverBox } from '@/ui/parts/popover'
import type { Columns } from './use-columns'

export type ColumnsProps = Pick<Columns<never>, 'all' | 'toggle' | 'move'>

/** A list of columns to tick and to move, open from the beginning. */
export function ColumnsPopover({ all, toggle, move }: ColumnsProps): ReactNode {
  const last = all.filter(({ isShown }) => isShown).length - 1
  return (
    <DialogTrigger defaultOpen>
      <Button>Columns</Button>
      <PopoverBox>
        <AriaDialog aria-label="Columns" style={{ padding: 8, maxHeight: 460, overflow: 'auto' }}>
          <Stack $gap={0}>
            {all.map(({ id, title, isShown, isFixed }, i) => (
              <Row key={id} style={{ minWidth: 230 }}>
                {isFixed ? (
                  <span style={{ paddingLeft: 24 }}>{title}</span>
                ) : (
                  <Checkbox isSelected={isShown} onChange={(on) => toggle(id, on)}>
                    {title}
                  </Checkbox>
                )}
                <Spring />
                {isShown && (
                  <>
                    <Button
                      kind="quiet"
                      aria-label={`${title}: further to the front`}
                      isDisabled={i === 0}
                      onPress={() => move(id, -1)}
                    >
                      <ArrowUp size={14} aria-hidden="true" />
                    </Button>
                    <Button
                      kind="quiet"
                      aria-label={`${title}: further back`}
                      isDisabled={i === last}
                      onPress={() => move(id, 1)}
                    >
                      <ArrowDown size={14} aria-hidden="true" />
                    </Button>
                  </>
                )}
              </Row>
            ))}
          </Stack>
        </AriaDialog>
      </PopoverBox>
    </DialogTrigger>
  )
}
