import { readFileSync } from 'node:fs'
import { Way } from './ways'
import { writeWhole } from './whole-file'

const MOST = 16

/** Addresses of gateways as an agent may keep them: ws or wss, each once, in the order given, at most 16. */
function readable(list: readonly unknown[]): string[] {
  const good = list.filter((one): one is string => {
    if (typeof one !== 'string' || one.length > 500 || !URL.canParse(one)) return false
    return /^wss?:$/.test(new URL(one).protocol)
  })
  return [...new Set(good)].slice(0, MOST)
}

export interface GatewayOptions {
  /** Where they are kept; without it: nowhere. */
  readonly file?: string
  /** Whether the first one is meant, whatever the server tells. */
  readonly isFixed?: boolean
  /** Relays that lead there, as `relaysIn` gives them: tried in this order, each gateway by all of them. None: straight. */
  readonly through?: readonly string[]
  /** Throws, with the reason, where the credential may not go. */
  readonly require?: (address: string) => void
  readonly log?: (message: string) => void
}

const chance = (of: number): number => Math.floor(Math.random() * Math.max(1, of))

/**
 * Where this agent finds a gateway: what the server told last, kept in a file, and at the end what it was enrolled with, so that a wrong address told to a whole
 * fleet locks nobody out. They are tried in turn, from a place of chance on, so that a fleet spreads over the engines.
 */
export class Gateways {
  private list: string[]
  private at: number
  private readonly ways: readonly Way[]
  private wayAt = 0
  private tried = 0

  constructor(
    private readonly first: string,
    private readonly options: GatewayOptions = {},
  ) {
    this.list = this.allowed(this.kept())
    this.at = chance(this.list.length)
    const relays = options.through ?? []
    this.ways = relays.length > 0 ? relays.map((relay) => new Way(relay)) : [new Way(null)]
  }

  private kept(): string[] {
    const { file, isFixed = false } = this.options
    if (file === undefined || isFixed) return []
    try {
      const value = JSON.parse(readFileSync(file, 'utf8')) as unknown
      return Array.isArray(value) ? readable(value) : []
    } catch {
      return []
    }
  }

  private allowed(list: readonly string[]): string[] {
    return list.filter((address) => {
      try {
        this.options.require?.(address)
        return true
      } catch (error) {
        this.options.log?.(`A gateway that the server names is passed over. ${(error as Error).message}`)
        return false
      }
    })
  }

  /** All of them, in the order in which they are tried. */
  get all(): readonly string[] {
    return [...new Set([...this.list, this.first])]
  }

  get current(): string {
    return this.all[this.at % this.all.length] as string
  }

  /** How the present one is reached. */
  get way(): Way {
    return this.ways[this.wayAt] as Way
  }

  /** The next one’s turn, at first by the other ways; true: all have had theirs. */
  next(): boolean {
    this.wayAt = (this.wayAt + 1) % this.ways.length
    if (this.wayAt === 0) this.at = (this.at + 1) % this.all.length
    this.tried = (this.tried + 1) % (this.all.length * this.ways.length)
    return this.tried === 0
  }

  /** The server has let this agent in at the present one: it is the first to be tried again. */
  reached(): void {
    this.tried = 0
  }

  /** What the server tells: kept, and used from the next connection on. An empty list changes nothing. */
  told(addresses: readonly string[]): void {
    const { file, isFixed = false, log } = this.options
    const fresh = isFixed ? [] : this.allowed(readable(addresses))
    if (fresh.length === 0 || fresh.join() === this.list.join()) return
    const here = fresh.indexOf(this.current)
    this.list = fresh
    // Where it is now it comes back to, unless that is on the list no more.
    this.at = here >= 0 ? here : chance(fresh.length)
    log?.(`Gateways, as the server names them: ${fresh.join(', ')}`)
    if (file === undefined) return
    try {
      writeWhole(file, JSON.stringify(fresh))
    } catch {
      // Without room on the disk they are told again at the next greeting.
    }
  }
}
