import { statfsSync } from 'node:fs'

const MIB = 1024 * 1024
/** With less room than this a disk counts as full: what is in hand needs some to end well. */
const LEAST_MIB = 64

/** Free bytes for this account on the disk of a folder; null: the system does not say. */
export function freeBytes(folder: string): number | null {
  try {
    const { bavail, bsize } = statfsSync(folder)
    return bavail * bsize
  } catch {
    return null
  }
}

/** Whether the agent's disk is full. It is not any more only when there is twice as much room as is needed: it does not flicker. */
export class RoomWatch {
  private isFull = false

  constructor(
    private readonly folder: string,
    private readonly leastBytes = mibOf(process.env.BUGLE_AGENT_LEAST_FREE_MIB) * MIB,
    private readonly free: (folder: string) => number | null = freeBytes,
  ) {}

  look(): boolean {
    const free = this.free(this.folder)
    if (free !== null) this.isFull = free < (this.isFull ? 2 : 1) * this.leastBytes
    return this.isFull
  }
}

function mibOf(text: string | undefined): number {
  const number = Number(text)
  return text === undefined || text === '' || !Number.isFinite(number) || number < 0 ? LEAST_MIB : number
}
