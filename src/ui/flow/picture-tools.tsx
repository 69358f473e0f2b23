'use client'
import { Minus, Plus } from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring } from '@/ui/parts/layout'

export const ZOOMS = [1, 1.5, 2, 3, 5, 8, 12, 20, 40]

/** Above a flow's picture: what its screen adds, finding a step, folding, zoom, and the picture as a file. */
export function PictureTools({
  tools,
  zoom,
  onZoom,
  hasFlows,
  isFolded,
  onFold,
  onFind,
  onSave,
}: {
  tools: ReactNode
  /** Place in ZOOMS. */
  zoom: number
  onZoom: (zoom: number) => void
  hasFlows: boolean
  isFolded: boolean
  onFold: (isFolded: boolean) => void
  /** Chooses the next step that is called so; says which of how many it is. */
  onFind: (text: string) => string
  onSave: () => void
}): ReactNode {
  const [wanted, setWanted] = useState('')
  const [found, setFound] = useState('')
  return (
    <Row style={{ padding: '4px 8px 0 14px' }} data-noprint>
      {tools}
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
      {hasFlows && (
        <Button kind="quiet" onPress={() => onFold(!isFolded)}>
          {isFolded ? 'Unfold all' : 'Fold flows'}
        </Button>
      )}
      <Button kind="quiet" aria-label="Zoom out" onPress={() => onZoom(Math.max(0, zoom - 1))} isDisabled={zoom === 0}>
        <Minus size={14} aria-hidden="true" />
      </Button>
      <Small aria-live="polite">{zoom === 0 ? 'the whole' : `× ${ZOOMS[zoom]}`}</Small>
      <Button
        kind="quiet"
        aria-label="Zoom in"
        onPress={() => onZoom(Math.min(zoom + 1, ZOOMS.length - 1))}
        isDisabled={zoom === ZOOMS.length - 1}
      >
        <Plus size={14} aria-hidden="true" />
      </Button>
      <Button kind="quiet" onPress={onSave}>
        Save picture
      </Button>
    </Row>
  )
}
