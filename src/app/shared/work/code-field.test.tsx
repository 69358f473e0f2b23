import { act, fireEvent, screen, waitFor } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import { show } from '@/ui/screen.test-help'
import { Reading } from '@/ui/parts/reading'
import { CodeField } from './code-field'

function Held({ isRead = false }: { isRead?: boolean }): ReactNode {
  const [value, setValue] = useState('fetch tills\nload tills')
  return (
    <Reading isOn={isRead}>
      <CodeField label="Script" value={value} onChange={setValue} language="sh" />
      <output>{value}</output>
    </Reading>
  )
}
const plain = (): HTMLTextAreaElement => screen.getByRole('textbox', { name: 'Script' })

describe('a script', () => {
  it('is plain text to look at, and an editor with the same text once it was written in', async () => {
    show(<Held />, {})
    expect(plain().value).toBe('fetch tills\nload tills')
    act(() => plain().focus())
    fireEvent.change(plain(), { target: { value: 'fetch tills\nload tills\ncheck' } })
    await act(() => new Promise((resolve) => setTimeout(resolve, 50)))
    // No key is lost: the editor does not come while somebody writes.
    expect(document.activeElement).toBe(plain())
    act(() => plain().blur())
    await waitFor(() => expect(document.querySelector('.cm-content')).not.toBeNull())
    expect(document.querySelector('.cm-content')?.textContent).toBe('fetch tillsload tillscheck')
    expect(document.querySelector('output')?.textContent).toBe('fetch tills\nload tills\ncheck')
    expect(document.querySelector('textarea')).toBeNull()
  })

  it('stays plain for whoever may only look', () => {
    show(<Held isRead />, {})
    act(() => plain().focus())
    expect(plain().readOnly).toBe(true)
  })
})
