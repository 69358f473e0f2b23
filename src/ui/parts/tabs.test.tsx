import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState, type ReactNode } from 'react'
import { Tabs } from './tabs'

const TABS = ['Output', 'Inputs', 'Tries'].map((title) => ({
  id: title.toLowerCase(),
  title,
  content: <p>{`The ${title.toLowerCase()}.`}</p>,
}))
function Run({ first }: { first: string }): ReactNode {
  const [selected, setSelected] = useState(first)
  return <Tabs label="Of the run" tabs={TABS} selected={selected} onSelect={setSelected} />
}
const shown = (): string[] => screen.getAllByRole('tabpanel').map((panel) => panel.textContent ?? '')
afterEach(cleanup)

it('shows the panel of the tab that is taken, named by it', async () => {
  render(<Run first="inputs" />)
  expect(shown()).toEqual(['The inputs.'])
  await userEvent.click(screen.getByRole('tab', { name: 'Tries' }))
  expect(shown()).toEqual(['The tries.'])
  expect(screen.getByRole('tabpanel', { name: 'Tries' })).toBeTruthy()
  expect(screen.getAllByRole('tab', { selected: true }).map((tab) => tab.textContent)).toEqual(['Tries'])
})

it('is gone through by arrow keys, round and round, with Home and End; only the one taken is reached by Tab', async () => {
  render(<Run first="output" />)
  await userEvent.tab()
  const seen: string[] = []
  for (const key of ['ArrowRight', 'ArrowRight', 'ArrowRight', 'ArrowLeft', 'Home', 'End']) {
    await userEvent.keyboard(`{${key}}`)
    expect(document.activeElement?.textContent).toBe(screen.getByRole('tab', { selected: true }).textContent)
    seen.push(...shown())
  }
  expect(seen).toEqual(['The inputs.', 'The tries.', 'The output.', 'The tries.', 'The output.', 'The tries.'])
  await userEvent.tab()
  expect(document.activeElement).toBe(document.body)
})

it('shows the first where the address names none that there is', () => {
  render(<Run first="nowhere" />)
  expect(shown()).toEqual(['The output.'])
})
