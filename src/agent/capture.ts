import { closeSync, existsSync, fstatSync, openSync, readSync, writeSync } from 'node:fs'

/**
 * What an attempt prints, in one file, in the order in which it arrived, each piece with its stream and the instant of its arrival. Written by the attempt's supervisor, read by the agent, also by
 * the next one after this was killed.
 *
 * A record: kind (1 byte), instant (8 bytes, IEEE 754, milliseconds since the epoch on this machine's clock), length (4 bytes), bytes; numbers big-endian.
 */
const KINDS = ['out', 'err', 'gap', 'note'] as const
type RecordKind = (typeof KINDS)[number]
const HEAD = 13

export interface OutputRecord {
  /** `gap`: so many bytes, as text, were left out here. `note`: a word of the supervisor's own. */
  readonly kind: RecordKind
  readonly at: number
  readonly bytes: Buffer
}

function encode({ kind, at, bytes }: OutputRecord): Buffer {
  const head = Buffer.alloc(HEAD)
  head.writeUInt8(KINDS.indexOf(kind), 0)
  head.writeDoubleBE(at, 1)
  head.writeUInt32BE(bytes.length, 9)
  return Buffer.concat([head, bytes])
}

/** Of what goes beyond the limit the end is kept: there the reason of a failure stands. */
const TAIL_BYTES = 256 * 1024

/** Keeps output up to a limit; of the rest the last part. Whatever happens to the file, the program that prints never waits for it and never notices. */
export class Capture {
  private readonly fd: number
  private kept = 0
  private tail: OutputRecord[] = []
  private tailBytes = 0
  private dropped = 0
  /** Why nothing more can be written; null: all is well. */
  trouble: string | null = null

  constructor(
    file: string,
    private readonly mostBytes: number,
    /** Told of what goes beyond the limit, so that a pattern is seen there too. */
    private readonly onBeyond: (bytes: Buffer, kind: 'out' | 'err') => void = () => undefined,
  ) {
    this.fd = openSync(file, 'a', 0o600)
  }

  take(kind: 'out' | 'err', bytes: Buffer, at: number): void {
    const room = this.trouble === null ? Math.max(0, this.mostBytes - this.kept) : 0
    if (room > 0) this.write({ kind, at, bytes: bytes.subarray(0, room) })
    this.kept += Math.min(room, bytes.length)
    if (bytes.length <= room) return
    const beyond = bytes.subarray(room)
    this.onBeyond(beyond, kind)
    // A copy: the bytes belong to a larger piece of memory that is used again.
    this.tail.push({ kind, at, bytes: Buffer.from(beyond.subarray(-TAIL_BYTES)) })
    this.tailBytes += Math.min(beyond.length, TAIL_BYTES)
    this.dropped += Math.max(0, beyond.length - TAIL_BYTES)
    for (let first = this.tail[0]; first && this.tailBytes > TAIL_BYTES; first = this.tail[0]) {
      const over = Math.min(first.bytes.length, this.tailBytes - TAIL_BYTES)
      this.dropped += over
      this.tailBytes -= over
      if (over === first.bytes.length) this.tail.shift()
      else this.tail[0] = { ...first, bytes: first.bytes.subarray(over) }
    }
  }

  note(text: string, at: number): void {
    this.write({ kind: 'note', at, bytes: Buffer.from(text) })
  }

  /** Writes the end of what was beyond the limit, after a word on how much is missing. */
  finish(at: number): void {
    if (this.dropped > 0) this.write({ kind: 'gap', at, bytes: Buffer.from(String(this.dropped)) })
    for (const record of this.tail) this.write(record)
    this.tail = []
    closeSync(this.fd)
  }

  private write(record: OutputRecord): void {
    const bytes = encode(record)
    try {
      for (let done = 0; done < bytes.length;) done += writeSync(this.fd, bytes, done)
    } catch (error) {
      this.trouble ??= (error as Error).message
    }
  }
}

/** Reads records as they come, from where it stands. */
export class CaptureReader {
  private offset = 0
  private rest: Buffer = Buffer.alloc(0)

  constructor(private readonly file: string) {}

  /** The next records of at most about `mostBytes`; none: nothing more is there yet. A record that is not whole yet waits. */
  next(mostBytes: number): OutputRecord[] {
    const fresh = readFrom(this.file, this.offset, mostBytes)
    this.offset += fresh.length
    let bytes = this.rest.length > 0 ? Buffer.concat([this.rest, fresh]) : fresh
    const records: OutputRecord[] = []
    while (bytes.length >= HEAD) {
      const length = bytes.readUInt32BE(9)
      if (bytes.length < HEAD + length) break
      records.push({
        kind: KINDS[bytes.readUInt8(0)] ?? 'note',
        at: bytes.readDoubleBE(1),
        bytes: bytes.subarray(HEAD, HEAD + length),
      })
      bytes = bytes.subarray(HEAD + length)
    }
    this.rest = bytes
    return records
  }
}

function readFrom(file: string, offset: number, most: number): Buffer {
  if (!existsSync(file)) return Buffer.alloc(0)
  const fd = openSync(file, 'r')
  try {
    const bytes = Buffer.alloc(Math.max(0, Math.min(most, fstatSync(fd).size - offset)))
    return bytes.subarray(0, readSync(fd, bytes, 0, bytes.length, offset))
  } finally {
    closeSync(fd)
  }
}
