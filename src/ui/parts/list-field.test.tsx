import { act, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import fc from 'fast-check'
import { useState, type ReactNode } from 'react'
import { ListField, partsOf, writtenParts } from './list-field'

describe('the parts of a list', () => {
  it('are what stands between commas and line ends; in quotes a part may have commas of its own', () => {
    expect(partsOf(' a, b ,,c\nd ')).toEqual(['a', 'b', 'c', 'd'])
    expect(partsOf('"Kelda, north", "say ""hi""", plain "quotes" inside, "unclosed')).toEqual([
      'Kelda, north',
      'say "hi"',
      'plain "quotes" inside',
      '"unclosed',
    ])
  })

  it('read back as they were, whatever is in them', () => {
    const part = fc.string({ unit: fc.constantFrom(...'ab ,"\n'), minLength: 1, maxLength: 8 })
    fc.assert(
      fc.property(fc.array(part, { maxLength: 5 }), (parts) => {
        expect(partsOf(writtenParts(parts))).toEqual(parts)
      }),
    )
  })
})

function Held({ onParts }: { onParts: (parts: string[]) => void }): ReactNode {
  const [parts, setParts] = useState(['north'])
  return (
    <ListField
      label="Options"
      value={parts}
      onChange={(next) => {
        setParts(next)
        onParts(next)
      }}
    />
  )
}

describe('a list field', () => {
  it('takes commas key by key, shows the parts, and is tidied when it is left', async () => {
    const user = userEvent.setup({ delay: null })
    const onParts = jest.fn()
    render(<Held onParts={onParts} />)
    const field = screen.getByRole<HTMLInputElement>('textbox', { name: 'Options' })
    await user.click(field)
    await user.keyboard(',south ,  east,')
    expect(field.value).toBe('north,south ,  east,')
    expect(onParts).toHaveBeenLastCalledWith(['north', 'south', 'east'])
    expect(screen.getByText('south')).toBeTruthy()
    act(() => field.blur())
    expect(field.value).toBe('north, south, east')
  })
})
