'use client'
import { Minus, Plus } from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { Button } from '@/ui/parts/button'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Mute, Row, Small, Spring } from '@/ui/parts/layout'
import { ZOOMS } from './scale'

/** Above a flow's picture: what its screen adds, finding a step, folding, zoom, and the picture as a file. */
export function PictureTools({
  tools,
  instead,
  zoom,
  onZoom,
  hasFlows,
  isFolded,
  onFold,
  groups,
  onFoldGroup,
  onFoldGroups,
  onFind,
  onSave,
}: {
  tools: ReactNode
  /** Why there is no picture: all but `tools` would do nothing. */
  instead: string | undefined
  /** Place in ZOOMS. */
  zoom: number
  /** So many steps in, or (negative) out. */
  onZoom: (by: number) => void
  hasFlows: boolean
  isFolded: boolean
  onFold: (isFolded: boolean) => void
  groups: readonly { readonly id: string; readonly isFolded: boolean }[]
  onFoldGroup: (id: string) => void
  onFoldGroups: (isFolded: boolean) => void
  /** Chooses the next step that is called so; says which of how many it is. */
  onFind: (text: string) => string
  onSave: () => void
}): ReactNode {
  const [wanted, setWanted] = useState('')
  const [found, setFound] = useState('')
  return (
    <Row style={{ padding: '4px 8px 0 14px' }} data-noprint>
      {tools}
      {instead === undefined ? parts() : <Mute>{instead}</Mute>}
    </Row>
  )

  function parts(): ReactNode {
    return (
      <>
        <form
          onSubmit={(event) => {
            event.preventDefault()
            setFound(onFind(wanted))
          }}
        >
          <TextField
            label="Find a step"
            hideLabel
            type="search"
            placeholder="Find a step"
            value={wanted}
            onChange={(text) => {
              setWanted(text)
              setFound('')
            }}
            width="150px"
          />
        </form>
        <Small aria-live="polite">{found}</Small>
        <Spring />
        {groups.length > 0 && (
          <Select
            label="Groups"
            hideLabel
            placeholder={`Groups ${groups.filter((group) => group.isFolded).length} of ${groups.length} folded`}
            value={null}
            onChange={(choice) => {
              if (choice === 'fold' || choice === 'unfold') onFoldGroups(choice === 'fold')
              else onFoldGroup(choice.slice('group '.length))
            }}
            choices={[
              ...groups.map(({ id, isFolded }) => ({
                id: `group ${id}`,
                title: `${isFolded ? 'Unfold' : 'Fold'} ${id}`,
              })),
              ...(groups.length > 1
                ? [
                    { id: 'fold', title: 'Fold all groups' },
                    { id: 'unfold', title: 'Unfold all groups' },
                  ]
                : []),
            ]}
            width="170px"
          />
        )}
        {hasFlows && (
          <Button kind="quiet" onPress={() => onFold(!isFolded)}>
            {isFolded ? 'Unfold all' : 'Fold flows'}
          </Button>
        )}
        <Button kind="quiet" aria-label="Zoom out" onPress={() => onZoom(-1)} isDisabled={zoom === 0}>
          <Minus size={14} aria-hidden="true" />
        </Button>
        <Small aria-live="polite">{zoom === 0 ? 'the whole' : `× ${ZOOMS[zoom]}`}</Small>
        <Button kind="quiet" aria-label="Zoom in" onPress={() => onZoom(1)} isDisabled={zoom === ZOOMS.length - 1}>
          <Plus size={14} aria-hidden="true" />
        </Button>
        <Button kind="quiet" onPress={onSave}>
          Save picture
        </Button>
      </>
    )
  }
}
