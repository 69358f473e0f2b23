import { act, renderHook, waitFor } from '@testing-library/react'
import { z } from 'zod'
import { ApiProblem } from '../api'
import { useDraft } from './draft'

const schema = z.strictObject({ title: z.string().min(1, 'A title is needed.'), size: z.number() })
type Content = z.output<typeof schema>
const problem = (errors: ApiProblem['errors']): ApiProblem =>
  new ApiProblem(400, 'invalid-input', 'No', 'No.', errors, {})

describe('a draft', () => {
  const draftOf = (initial: Content) => renderHook(() => useDraft<Content>(schema, initial, 3))

  it('says what is wrong with a field once it was touched, and with all once a save was tried', () => {
    const { result } = draftOf({ title: '', size: 1 })
    expect(result.current.faultOf('title')).toBeUndefined()
    act(() => result.current.set({ title: 'a' }))
    act(() => result.current.set({ title: '' }))
    // Back to what it was: untouched again.
    expect(result.current.faultOf('title')).toBeUndefined()
    const send = jest.fn()
    act(() => result.current.save(send))
    expect(send).not.toHaveBeenCalled()
    expect(result.current.tried).toBe(true)
    expect(result.current.faultOf('title')).toBe('A title is needed.')
  })

  it('is unchanged once saved, with the new version', async () => {
    const { result } = draftOf({ title: 'a', size: 1 })
    act(() => result.current.set({ size: 2 }))
    expect(result.current.isChanged).toBe(true)
    act(() => result.current.save(async (content) => content.size + 2))
    await waitFor(() => expect(result.current.isChanged).toBe(false))
    expect(result.current.version).toBe(4)
  })

  it('shows what the server says at its field until that is changed', async () => {
    const { result } = draftOf({ title: 'a', size: 1 })
    act(() => result.current.set({ title: 'b' }))
    act(() => result.current.save(() => Promise.reject(problem([{ path: 'title', message: 'Taken.' }]))))
    await waitFor(() => expect(result.current.faultOf('title')).toBe('Taken.'))
    expect(result.current.isChanged).toBe(true)
    act(() => result.current.set({ title: 'c' }))
    expect(result.current.faultOf('title')).toBeUndefined()
  })

  it('asks before a link is followed while something is not saved', () => {
    const { result } = draftOf({ title: 'a', size: 1 })
    const link = document.body.appendChild(document.createElement('a'))
    link.href = '#elsewhere'
    const follow = (): boolean => link.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true }))
    const confirm = jest.spyOn(window, 'confirm').mockReturnValue(false)
    expect(follow()).toBe(true)
    act(() => result.current.set({ size: 2 }))
    expect(follow()).toBe(false)
    confirm.mockReturnValue(true)
    expect(follow()).toBe(true)
    expect(confirm).toHaveBeenCalledTimes(2)
  })
})
