import { fireEvent, screen, waitFor } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import { ApiProblem } from '../api'
import { choose, press, show, type } from '../screen.test-help'
import { SelectOrNew } from './select-or-new'

const added: string[] = []
let refuse = false
function Field({ start, whyNot }: { start: readonly string[]; whyNot?: string | undefined }): ReactNode {
  const [all, setAll] = useState(start)
  const [value, setValue] = useState<string | null>(null)
  return (
    <>
      <SelectOrNew
        label="in area"
        what="area"
        value={value}
        onChange={setValue}
        choices={all.map((id) => ({ id, title: id }))}
        add={(name) => {
          if (refuse) return Promise.reject(new ApiProblem(400, 'invalid-input', '', 'It is there.', [], {}))
          added.push(name)
          setAll([...all, name])
          return Promise.resolve(name)
        }}
        whyNot={whyNot}
      />
      <output>{value ?? 'none'}</output>
    </>
  )
}

afterEach(() => {
  added.length = 0
  refuse = false
})

describe('a choice that can be made on the way', () => {
  it('asks for the first one’s name at once, and takes it', async () => {
    show(<Field start={[]} />, {})
    await press('Make it')
    expect(screen.getByText('The area needs a name.')).toBeTruthy()
    type('Name of the new area', '  Sailing ')
    fireEvent.keyDown(screen.getByRole('textbox'), { key: 'Enter' })
    await waitFor(() => expect(screen.getByRole('status').textContent).toBe('Sailing'))
    expect(added).toEqual(['Sailing'])
  })

  it('is a choice among those that are there, and a new one', async () => {
    show(<Field start={['Freight', 'Sailing']} />, {})
    await choose(/in area/, 'Freight')
    expect(screen.getByRole('status').textContent).toBe('Freight')
    await choose(/in area/, 'new area …')
    refuse = true
    type('Name of the new area', 'Sailing')
    await press('Make it')
    expect(await screen.findByText('It is there.')).toBeTruthy()
    await press('Cancel')
    expect(screen.getByRole('status').textContent).toBe('Freight')
  })

  it('makes nothing for whoever may not', () => {
    show(<Field start={[]} whyNot="needs an administrator" />, {})
    expect(screen.queryByRole('textbox')).toBeNull()
  })
})
