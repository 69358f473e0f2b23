import { inOrganisation } from '@/store/organisation'
import { readOrganisations } from '@/store/organisations'
import type { Gateway } from './gateway'
import { log } from './log'
import { paced } from './pace'
import { Workplace, type Engine } from './workplace'

/** So soon a new organisation's work begins, and the work of one that was switched off ends. */
const LOOK_MS = 3000

/** A workplace for each organisation that is switched on. */
export class Workplaces {
  private readonly open = new Map<number, Workplace>()
  private readonly looking: ReturnType<typeof paced>

  constructor(private readonly engine: Engine) {
    this.looking = paced(() => this.look(), {
      restMs: LOOK_MS,
      everyMs: LOOK_MS,
      // The workplaces tell of an outage, and more than that is not asked here.
      onError: (error) => log.debug({ err: error }, 'organisations not read'),
    })
  }

  gatewayOf(organisation: number): Gateway | undefined {
    return this.open.get(organisation)?.gateway
  }

  async look(): Promise<void> {
    const active = (await readOrganisations()).filter((one) => one.active).map(({ id }) => id)
    for (const id of active)
      if (!this.open.has(id))
        this.open.set(
          id,
          inOrganisation(id, () => new Workplace(this.engine)),
        )
    for (const [id, workplace] of [...this.open])
      if (!active.includes(id)) {
        this.open.delete(id)
        await inOrganisation(id, () => workplace.stop())
        log.info({ id }, 'an organisation was switched off; its work rests')
      }
  }

  async stop(): Promise<void> {
    await this.looking.stop()
    const all = [...this.open]
    // Nobody is led to one that ends.
    this.open.clear()
    await Promise.all(all.map(([id, workplace]) => inOrganisation(id, () => workplace.stop())))
  }
}
