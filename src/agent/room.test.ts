import { tmpdir } from 'node:os'
import { freeBytes, RoomWatch } from './room'

describe('the room on the agent’s disk', () => {
  it('is asked of the system', () => {
    expect(freeBytes(tmpdir())).toBeGreaterThan(0)
    expect(freeBytes('/nowhere/at/all')).toBeNull()
  })

  it('is none below a limit, and again some only when there is twice as much', () => {
    let free: number | null = 100
    const room = new RoomWatch('/', 64, () => free)
    const at = (bytes: number | null): boolean => {
      free = bytes
      return room.look()
    }
    expect([at(100), at(63), at(64), at(127), at(null), at(128), at(64), at(63)]).toEqual([
      false,
      true,
      true,
      true,
      true,
      false,
      false,
      true,
    ])
  })
})
