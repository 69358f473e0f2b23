import { sha256 } from '@noble/hashes/sha2'
import { utf8ToBytes } from '@noble/hashes/utils'

/** Leading zero bits. */
function leadingZeros(bytes: Uint8Array): number {
  let zeros = 0
  for (const byte of bytes) {
    if (byte !== 0) return zeros + Math.clz32(byte) - 24
    zeros += 8
  }
  return zeros
}

/** Hashes between two looks at whether the page wants something else. */
const AT_ONCE = 2000

/** Finds what makes SHA-256 of `challenge.nonce` begin with so many zero bits: about a second's work at the usual number. */
export async function doWork({ challenge, bits }: { challenge: string; bits: number }): Promise<string> {
  for (let nonce = 0; ; nonce++) {
    if (leadingZeros(sha256(utf8ToBytes(`${challenge}.${nonce}`))) >= bits) return String(nonce)
    if (nonce % AT_ONCE === 0) await new Promise((resolve) => setTimeout(resolve))
  }
}
