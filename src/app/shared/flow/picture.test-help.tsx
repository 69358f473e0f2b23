import type { ComponentProps, ReactNode } from 'react'
import { FlowPicture } from './flow-picture'

type Props = ComponentProps<typeof FlowPicture>

/** A flow whose steps take a minute each, one after another, called as given; nothing is chosen. */
export const picture = (
  titles: readonly string[],
  { steps, ...more }: Partial<Props> & Pick<Props, 'steps'>,
): ReactNode => (
  <FlowPicture
    label="Tides"
    steps={steps}
    times={steps.map(({ index }) => ({ start: index * 60_000, end: (index + 1) * 60_000 }))}
    lookOf={(index) => ({ title: titles[index] ?? '', detail: '', state: 'planned' })}
    decides={new Set()}
    chosen={null}
    chosenNow={() => null}
    onChoose={() => undefined}
    begins={{ at: 0, text: 'begins' }}
    maxHeight="400px"
    {...more}
  />
)
