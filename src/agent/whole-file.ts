import { renameSync, writeFileSync } from 'node:fs'

/** Writes a file that only this account can read, and that nobody ever finds half written: it takes its place all at once (rename(2)). */
export function writeWhole(file: string, text: string | Buffer): void {
  writeFileSync(`${file}.part`, text, { mode: 0o600 })
  renameSync(`${file}.part`, file)
}
