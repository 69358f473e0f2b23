import { act, renderHook, waitFor } from '@testing-library/react'
import { z } from 'zod'
import { ApiProblem } from '../api'
import { go } from '../navigation.test-help'
import { forgetLeft, useDraft } from './draft'

const schema = z.strictObject({ title: z.string().min(1, 'A title is needed.'), size: z.number() })
type Content = z.output<typeof schema>
const problem = (errors: ApiProblem['errors']): ApiProblem =>
  new ApiProblem(400, 'invalid-input', 'No', 'No.', errors, {})

beforeEach(forgetLeft)

/** A link of ours; gives what presses it, and says whether it was followed. */
function linkAway(): () => boolean {
  const link = document.body.appendChild(document.createElement('a'))
  link.href = '/elsewhere'
  let isFollowed = false
  link.addEventListener('click', (event) => {
    isFollowed = true
    event.preventDefault()
  })
  return () => {
    isFollowed = false
    act(() => link.click())
    return isFollowed
  }
}

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
    const follow = linkAway()
    const confirm = jest.spyOn(window, 'confirm').mockReturnValue(false)
    expect(follow()).toBe(true)
    act(() => result.current.set({ size: 2 }))
    expect(follow()).toBe(false)
    confirm.mockReturnValue(true)
    expect(follow()).toBe(true)
    expect(confirm).toHaveBeenCalledTimes(2)
  })

  describe('left before it was saved', () => {
    const first = { title: 'a', size: 1 }
    const openAt = (path: string, initial = first, version = 3) => {
      go(path)
      return renderHook(() => useDraft<Content>(schema, initial, version))
    }
    const leave = ({ unmount }: { unmount: () => void }): void => {
      go('/elsewhere')
      unmount()
    }

    it('is back when the page is, as a change of the version that it was made to', async () => {
      const one = openAt('/work/jobs/1')
      act(() => one.result.current.set({ size: 2 }))
      leave(one)
      expect(openAt('/work/jobs/2').result.current.content).toEqual(first)
      // Somebody saved meanwhile: saving must be asked about, so the version stays.
      const { result } = openAt('/work/jobs/1', { title: 'theirs', size: 1 }, 4)
      expect(result.current.content).toEqual({ title: 'a', size: 2 })
      expect([result.current.isChanged, result.current.version]).toEqual([true, 3])
      act(() => result.current.save(async () => 5))
      await waitFor(() => expect(result.current.isChanged).toBe(false))
      expect(result.current.putAway).toBeNull()
    })

    it('is put away when asked to, once and for all', () => {
      const one = openAt('/work/jobs/1')
      act(() => one.result.current.set({ size: 2 }))
      leave(one)
      const back = openAt('/work/jobs/1')
      act(() => back.result.current.putAway?.())
      expect(back.result.current.content).toEqual(first)
      expect(back.result.current.putAway).toBeNull()
      leave(back)
      expect(openAt('/work/jobs/1').result.current.putAway).toBeNull()
    })

    it('is not kept when leaving it was agreed to, unless more was written after that', () => {
      jest.spyOn(window, 'confirm').mockReturnValue(true)
      const follow = linkAway()
      const one = openAt('/work/jobs/1')
      act(() => one.result.current.set({ size: 2 }))
      follow()
      leave(one)
      const two = openAt('/work/jobs/1')
      expect(two.result.current.content).toEqual(first)
      act(() => two.result.current.set({ size: 3 }))
      follow()
      act(() => two.result.current.set({ size: 4 }))
      leave(two)
      expect(openAt('/work/jobs/1').result.current.content).toEqual({ title: 'a', size: 4 })
    })

    it('is back in a new one only if that begins as it did', () => {
      const one = openAt('/work/jobs/new', first, 0)
      act(() => one.result.current.set({ size: 2 }))
      leave(one)
      expect(openAt('/work/jobs/new', { title: 'from a file', size: 1 }, 0).result.current.putAway).toBeNull()
      const two = openAt('/work/jobs/new', first, 0)
      act(() => two.result.current.set({ size: 2 }))
      leave(two)
      expect(openAt('/work/jobs/new', first, 0).result.current.content.size).toBe(2)
    })
  })
})
