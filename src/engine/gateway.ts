import type { WebSocket } from 'ws'
import {
  fromAgentSchema,
  HAS_DESKS,
  LOOKS_FOR_FILES,
  MOST_RECEIPTS,
  PROTOCOL_VERSION,
  reportAskSchema,
  TRACES,
  type FoundFile,
  type Heard,
} from '@/agent/protocol'
import { agentConnected, agentDisconnected, settingsOf, type LinkedAgent } from '@/service/fleet/agent-link'
import { answerItemRequest } from '@/service/queues/item-requests'
import { answerReportRequest } from '@/service/reports/asked'
import { storeTrace, tracesOf } from '@/service/fleet/traces'
import { noteTried, triesToDeliver } from '@/service/fleet/sign-ins'
import { desksOf, hearDesk, noteThere } from '@/service/runs/desks'
import { leasesToDeliver, stopsToDeliver, type Delivery } from '@/service/runs/delivery'
import { extendLeases, openAttemptsOf } from '@/service/runs/heard'
import { giveUpLost } from '@/service/runs/open-runs'
import { noteFound, recalls, storeReceipts } from '@/service/runs/found'
import { noteWatched, storeFound, watchesOf } from '@/service/timing/files'
import { noteSeen } from '@/service/runs/restored'
import { fromHere } from '@/store/organisation'
import { Link } from './link'
import { log } from './log'
import type { Sink } from './sink'

/** Questions about items of one agent that are looked at at once. */
const MOST_ASKED = 64

type Hello = Extract<Heard, { type: 'hello' }>

/** The agents of one organisation that speak with this engine. */
export class Gateway {
  /** Every connection that was let in, also before its hello. */
  private readonly all = new Set<Link>()
  /** Those that speak for their agents. */
  private readonly links = new Map<number, Link>()
  private unsaved = new Set<Link>()

  /** @param addresses where agents find a gateway from now on, as each is told when it is greeted; none: they keep to what they have */
  constructor(
    private readonly engineId: string,
    private readonly sink: Sink,
    private readonly heartbeatSeconds: number,
    private readonly addresses: readonly string[] = [],
  ) {}

  stop(): void {
    for (const link of this.all) link.cutOff()
  }

  get agentIds(): number[] {
    return this.speaking().map((link) => link.agentId)
  }

  private speaking(): Link[] {
    return [...this.links.values()].filter((link) => link.greeted && !link.isOver)
  }

  /** An agent that was let in. @param greeted called once it is greeted, before it is told so */
  take(opened: WebSocket, agent: LinkedAgent, greeted: () => void): void {
    const link = new Link(opened, agent)
    // What arrives later arrives from the socket, which knows of no organisation.
    const here = fromHere()
    this.all.add(link)
    // A hello is answered by way of the database: what comes behind it waits in line.
    let line = Promise.resolve()
    let isGreeting = false
    const onMessage = (data: Buffer): void => {
      if (link.isOver) return
      const begun = performance.now()
      take(data)
      link.count(data.length, performance.now() - begun)
    }
    const take = (data: Buffer): void => {
      const message = this.read(link, data)
      if (!message) return
      if (message.type === 'hello') {
        if (isGreeting) return link.refuse('bad-message', 'An agent says hello once.', false)
        isGreeting = true
        line = this.greet(link, message, greeted).catch((error: unknown) => {
          log.warn({ err: error, agent: agent.name }, 'an agent could not be greeted')
          link.refuse('server-trouble', 'The server cannot answer now. Try again.', true)
        })
      } else if (!isGreeting) link.refuse('no-hello', 'The first message must be hello.', false)
      else if (link.greeted) this.receive(link, message, data.length)
      else void line.then(() => this.receive(link, message, data.length))
    }
    opened.on('message', (data) => here(() => onMessage(data as Buffer)))
    opened.on('error', () => here(() => link.cutOff()))
    opened.on('close', () => here(() => this.closed(link)))
  }

  /** What the agent says; undefined: it does not fit, and the connection ends. */
  private read(link: Link, data: Buffer): Heard | undefined {
    try {
      return fromAgentSchema.parse(JSON.parse(data.toString('utf8')))
    } catch {
      link.refuse(
        'bad-message',
        'The message does not fit the protocol. Bring the agent up to the version this server offers.',
        false,
      )
      return undefined
    }
  }

  private receive(link: Link, message: Exclude<Heard, Hello>, bytes: number): void {
    if (link.isOver || !link.greeted) return
    link.heardAt = Date.now()
    this.unsaved.add(link)
    switch (message.type) {
      case 'heartbeat':
        link.load = message.load
        link.full = message.full ?? false
        link.measures = message.machine ?? null
        link.line = message.line ?? null
        return
      case 'accepted':
        this.sink.addAccepted(link, message.attempt, message.token)
        return
      case 'reports':
        this.sink.add(link, message.reports, bytes)
        return
      case 'receipts':
        storeReceipts(link.agentId, message.receipts).catch((error: unknown) =>
          log.warn({ err: error, agent: link.agent.name }, 'what an agent said of forgotten runs was not stored'),
        )
        return
      case 'gone':
        void this.sink.passOver(link, message)
        return
      case 'item':
        this.answerItem(link, message)
        return
      case 'desk':
        this.answerDesk(link, message)
        return
      case 'trace':
        this.keepTrace(link, message)
        return
      case 'there':
        noteThere(link.agentId, message.robots).catch((error: unknown) =>
          log.warn({ err: error, agent: link.agent.name }, 'who is at their robot was not stored'),
        )
        return
      case 'files':
        this.keepFiles(link, message.found)
        return
      case 'watched':
        noteWatched(link.agentId, message.faults).catch((error: unknown) =>
          log.warn({ err: error, agent: link.agent.name }, 'how it goes with looking for files was not stored'),
        )
        return
      case 'tried':
        noteTried(link.agentId, message.ask, message.fault).catch((error: unknown) =>
          log.warn({ err: error, agent: link.agent.name }, 'what came of a sign-in was not stored'),
        )
    }
  }

  /** A run asks about items, or has a report made. Of each agent so many are looked at at once; of what could not be looked at nothing is said, and it is asked again. */
  private answerItem(link: Link, { attempt, token, request, ask }: Extract<Heard, { type: 'item' }>): void {
    if (link.asking >= MOST_ASKED) return
    link.asking++
    const answering = reportAskSchema.safeParse(ask).success ? answerReportRequest : answerItemRequest
    answering(link.agentId, { attempt, token, request, ask })
      .then((answer) => link.send({ type: 'item', attempt, request, answer: answer as never }))
      .catch((error: unknown) =>
        log.warn({ err: error, agent: link.agent.name }, 'a question about items was not answered'),
      )
      .finally(() => link.asking--)
  }

  /** A person at a robot says something. What could not be looked at is said again. */
  private answerDesk(link: Link, { robot, request, ask }: Extract<Heard, { type: 'desk' }>): void {
    if (link.asking >= MOST_ASKED) return
    link.asking++
    hearDesk(link.agentId, { robot, request, ask })
      .then((answer) => link.send({ type: 'desk', request, answer: answer as never }))
      .catch((error: unknown) =>
        log.warn({ err: error, agent: link.agent.name }, 'a word from a robot’s desk was not answered'),
      )
      .finally(() => link.asking--)
  }

  /** What an agent tells of itself, one message after the other; more than can be stored is left out. */
  private keepTrace(link: Link, { trace, lines }: Extract<Heard, { type: 'trace' }>): void {
    if (link.isTracing) return
    link.isTracing = true
    storeTrace(link.agentId, trace, lines)
      .catch((error: unknown) => log.warn({ err: error, agent: link.agent.name }, 'a part of a trace was not stored'))
      .finally(() => (link.isTracing = false))
  }

  /** Files that triggers wait for. One message of an agent at a time; what is not answered is told again. */
  private keepFiles(link: Link, found: readonly FoundFile[]): void {
    if (link.telling) return
    link.telling = true
    storeFound(link.agentId, found)
      .then((files) => link.send({ type: 'known', files }))
      .catch((error: unknown) => log.warn({ err: error, agent: link.agent.name }, 'what came of files was not stored'))
      .finally(() => (link.telling = false))
  }

  /** Tells agents what to look for, where that has changed. */
  sendWatches = (to = this.speaking()): Promise<void> =>
    tellThose(to, LOOKS_FOR_FILES, watchesOf, (link, watches = []) => link.tell({ type: 'watch', watches }))

  /** Tells agents what the people at their robots are asked, where that has changed. */
  sendDesks = (to = this.speaking()): Promise<void> =>
    tellThose(to, HAS_DESKS, desksOf, (link, desks = []) => link.tell({ type: 'desks', desks }))

  /** Tells agents that somebody wants to know what they do, or does not any more. */
  sendTraces = (to = this.speaking()): Promise<void> =>
    tellThose(to, TRACES, tracesOf, (link, of) => link.tell({ type: 'trace', of: of ?? null }))

  private async greet(link: Link, hello: Hello, greeted: () => void): Promise<void> {
    if (hello.protocol !== PROTOCOL_VERSION) {
      const what =
        hello.protocol < PROTOCOL_VERSION
          ? 'Bring the agent up to date: fetch agent.cjs from this server and start it again.'
          : 'Bring this server up to date, or use the agent it offers.'
      const said = `The agent speaks protocol ${hello.protocol}, this server ${PROTOCOL_VERSION}. ${what}`
      return link.refuse('version-mismatch', said, true)
    }
    const claim = await agentConnected(link.agent, this.engineId, hello.facts, hello.instance)
    if (claim.kind === 'revoked')
      return link.refuse('revoked', 'An administrator revoked this agent’s credential.', false)
    if (claim.kind === 'cloned')
      return link.refuse(
        'cloned',
        'Another agent uses the same credential and is connected: one of the two folders is a copy. Enrol this machine anew.',
        false,
      )
    // The newer connection speaks for the agent: the old one may be half dead.
    const old = this.links.get(link.agentId)
    this.links.set(link.agentId, link)
    if (old && old !== link) old.superseded()
    const held = new Set(hello.held.map((h) => h.attempt))
    const open = await openAttemptsOf(null, link.agentId)
    const isOpen = new Set(open.map(({ attempt, token }) => `${attempt} ${token}`))
    // Over and stored, as the agent knows, and open here: this database has forgotten. It is told again.
    const kept = new Set(hello.kept?.map(({ attempt, token }) => `${attempt} ${token}`))
    const again = open.filter(({ attempt, token }) => !held.has(attempt) && kept.has(`${attempt} ${token}`))
    for (const { attempt, token } of hello.held) if (isOpen.has(`${attempt} ${token}`)) link.delivered.add(attempt)
    for (const { attempt } of again) link.delivered.add(attempt)
    const forgotten = open
      .filter((o) => o.state !== 'handed' && !held.has(o.attempt) && !again.includes(o))
      .map((o) => o.attempt)
    if (hello.last && (await noteSeen(link.agent.name, hello.last)))
      log.warn(
        { agent: link.agent.name },
        'the database was restored from a back-up; starts by triggers are switched off',
      )
    // Before it is let in: what it reports of them must be known as theirs.
    const found = await noteFound(
      link.agentId,
      [
        ...(hello.kept ?? []).map((one) => ({ ...one, goesOn: false })),
        ...hello.held.map((one) => ({ ...one, goesOn: true })),
      ].filter(({ attempt, token }) => !isOpen.has(`${attempt} ${token}`)),
    )
    if (forgotten.length > 0)
      await giveUpLost(forgotten, 'Its agent came back without it: the agent’s memory of it is gone.')
    link.connection = claim.connection
    link.abilities = new Set(hello.facts.abilities)
    if (link.isOver) return this.closed(link)
    const settings = (await settingsOf([link.agentId]))[0] ?? link.agent
    // From the welcome on it may send all that it kept back.
    greeted()
    link.send({
      type: 'welcome',
      protocol: PROTOCOL_VERSION,
      agent: link.agent.name,
      serverTime: Date.now(),
      heartbeatSeconds: this.heartbeatSeconds,
      slots: settings.slots,
      draining: settings.draining,
      ...(this.addresses.length > 0 ? { gateways: [...this.addresses] } : {}),
    })
    for (const { reportSeq, ...of } of again) this.sink.ask(link, of, reportSeq + 1)
    for (let at = 0; at < found.length; at += MOST_RECEIPTS)
      link.send({ type: 'receipts', attempts: found.slice(at, at + MOST_RECEIPTS) })
    for (const tell of [this.sendWatches, this.sendDesks, this.sendTraces]) await tell([link])
    link.heardAt = Date.now()
    log.info({ agent: link.agent.name, version: hello.facts.version }, 'agent connected')
    await this.deliver()
  }

  private closed(link: Link): void {
    link.isOver = true
    link.forgetTimers()
    this.all.delete(link)
    this.unsaved.delete(link)
    this.sink.drop(link)
    if (this.links.get(link.agentId) === link) this.links.delete(link.agentId)
    if (!link.greeted) return
    log.info({ agent: link.agent.name }, 'agent disconnected')
    agentDisconnected(link.agentId, link.connection).catch((error: unknown) =>
      log.warn({ err: error }, 'disconnection not stored'),
    )
  }

  /** Sends leases and stop requests that are there for the agents of this engine. */
  async deliver(): Promise<void> {
    const to: Delivery[] = this.speaking().filter((link) => link.hasRoom)
    if (to.length === 0) return
    for (const { agentId, lease } of await leasesToDeliver(to)) {
      const link = this.links.get(agentId)
      if (!link || link.delivered.has(lease.attempt)) continue
      link.delivered.add(lease.attempt)
      link.send({ type: 'lease', lease })
    }
    for (const { agentId, ask, user, secret } of await triesToDeliver(to)) {
      const link = this.links.get(agentId)
      if (!link || link.tries.has(ask)) continue
      link.tries.add(ask)
      link.send({ type: 'try', ask, user, secret })
    }
    for (const { agentId, attempt, token } of await stopsToDeliver(to.map(({ agentId }) => agentId)))
      this.links.get(agentId)?.send({ type: 'stop', attempt, token })
  }

  /** Passes on changed settings; ends connections whose credential was revoked or replaced, or whose agent another connection speaks for. */
  async applySettings(): Promise<void> {
    const links = [...this.all].filter((link) => !link.isOver)
    const settings = new Map((await settingsOf([...new Set(links.map((link) => link.agentId))])).map((s) => [s.id, s]))
    for (const link of links) {
      const now = settings.get(link.agentId)
      if (now?.credentialHash !== link.agent.credentialHash)
        link.refuse('revoked', 'An administrator revoked this agent’s credential.', false)
      else if (link.greeted && now.connection !== link.connection) link.superseded()
      else if (link.greeted) link.tell({ type: 'settings', slots: now.slots, draining: now.draining })
    }
    for (const { agentId, ...of } of await recalls([...this.links.keys()])) {
      const link = this.links.get(agentId)
      if (!link) continue
      link.delivered.add(of.attempt)
      this.sink.ask(link, of, 1)
    }
  }

  /** Remembers who was heard of since the last call, and closes connections that have gone silent. */
  async keepAlive(): Promise<void> {
    const silentSince = Date.now() - this.heartbeatSeconds * 3000
    for (const link of this.speaking()) if (link.heardAt < silentSince && !link.isHeld) link.cutOff()
    // One that we ourselves do not listen to just now is there all the same.
    for (const link of this.speaking()) if (link.isHeld) this.unsaved.add(link)
    const heard = [...this.unsaved].filter((link) => link.greeted && !link.isOver)
    this.unsaved = new Set()
    if (heard.length === 0) return
    try {
      const claimed = await extendLeases(heard)
      for (const link of heard) if (!claimed.has(link.agentId)) link.superseded()
    } catch (error) {
      for (const link of heard) this.unsaved.add(link)
      throw error
    }
  }
}

/** Tells each of these agents that can do with it what there is for it now. */
async function tellThose<T>(
  links: readonly Link[],
  ability: string,
  read: (agentIds: readonly number[]) => Promise<ReadonlyMap<number, T>>,
  tell: (link: Link, what: T | undefined) => void,
): Promise<void> {
  const able = links.filter(({ abilities }) => abilities.has(ability))
  if (able.length === 0) return
  const found = await read(able.map(({ agentId }) => agentId))
  for (const link of able) tell(link, found.get(link.agentId))
}
