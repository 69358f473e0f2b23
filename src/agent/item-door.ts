import { chmodSync, chownSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { isTooDeep, MOST_NESTED } from '@/core/schema/nesting'
import type { ItemAnswer } from './protocol'
import { SHELL, type Account } from './start-order'

declare global {
  /** The program behind `$BUGLE_AGENT item`, put into the agent's one file when that is built (scripts/lib/build.mjs). */
  var BUGLE_ITEM_COMMAND: string
}

/** A question is longer than what an item may hold, and not by much. */
const MOST_LINE = 600 * 1024
const MOST_OPEN = 64

/** What a run needs to ask for items, in a folder that its account can go into: the socket, and the command. */
export interface ItemFolder {
  readonly folder: string
  readonly socket: string
  readonly command: string
}

const inFolder = (folder: string): ItemFolder => ({
  folder,
  socket: join(folder, 's'),
  command: join(folder, 'bugle-agent'),
})

/** Makes the folder of an attempt, with the command in it. */
export function makeItemFolder(): ItemFolder {
  const made = inFolder(mkdtempSync(join(tmpdir(), 'bugle-items-')))
  chmodSync(made.folder, 0o711)
  const program = join(made.folder, 'item.cjs')
  writeFileSync(program, globalThis.BUGLE_ITEM_COMMAND, { mode: 0o644 })
  writeFileSync(made.command, `#!${SHELL}\nexec '${process.execPath.replaceAll("'", `'\\''`)}' '${program}' "$@"\n`, {
    mode: 0o755,
  })
  for (const file of [program, made.command]) chmodSync(file, file === program ? 0o644 : 0o755)
  return made
}

/** Passes on what a run asks; the promise stays open until the server has answered. */
export type AskServer = (request: string, ask: unknown) => Promise<ItemAnswer>

/** The socket at which one attempt asks for items: a line of JSON each way. Only its account can open it. */
export class ItemDoor {
  private readonly server: Server
  private readonly open = new Set<Socket>()

  constructor(folder: string, account: Account | null, ask: AskServer) {
    const { socket } = inFolder(folder)
    // Of an agent that was killed: nobody listens there any more.
    rmSync(socket, { force: true })
    this.server = createServer((client) => this.serve(client, ask))
    // Without items the run goes on as far as it can; its command says that nobody answers.
    this.server.on('error', () => undefined)
    this.server.listen(socket, () => {
      try {
        chmodSync(socket, 0o600)
        if (account) chownSync(socket, account.uid, account.gid)
      } catch {
        // The attempt is gone already.
      }
    })
  }

  close(): void {
    for (const client of this.open) client.destroy()
    this.server.close()
  }

  private serve(client: Socket, ask: AskServer): void {
    if (this.open.size >= MOST_OPEN) return void client.destroy()
    this.open.add(client)
    client.on('error', () => undefined)
    client.once('close', () => this.open.delete(client))
    const pieces: Buffer[] = []
    let bytes = 0
    const onData = (data: Buffer): void => {
      pieces.push(data)
      bytes += data.length
      if (bytes > MOST_LINE) {
        // Whatever else it sends is kept nowhere.
        client.off('data', onData).resume()
        return void client.end(`${JSON.stringify(refused('This is more than an item may hold.'))}\n`)
      }
      if (!data.includes(10)) return
      client.off('data', onData)
      const asked = questionIn(Buffer.concat(pieces).toString('utf8'))
      if (!asked) return void client.end(`${JSON.stringify(refused('This is no question.'))}\n`)
      // Sent on, it would end the agent in the middle of its work.
      if (isTooDeep(asked.ask))
        return void client.end(`${JSON.stringify(refused(`This nests deeper than ${MOST_NESTED}.`))}\n`)
      ask(asked.request, asked.ask).then(
        (answer) => client.end(`${JSON.stringify(answer)}\n`),
        // The agent ends: the command asks again, and the next agent answers.
        () => client.destroy(),
      )
    }
    client.on('data', onData)
  }
}

const refused = (why: string): ItemAnswer => ({ ok: false, why })

function questionIn(text: string): { request: string; ask: unknown } | null {
  try {
    const { request, ask } = JSON.parse(text.slice(0, text.indexOf('\n'))) as { request?: unknown; ask?: unknown }
    return typeof request === 'string' && /^[\w-]{8,64}$/.test(request) ? { request, ask } : null
  } catch {
    return null
  }
}
