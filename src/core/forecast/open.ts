import type { Bundle } from '../bundle/schema'
import type { OpenModel, TriggerModel } from './model'
import type { Server } from './server'
import type { Works } from './works'

/**
 * What is open, each with the trigger that it belongs to: one of those that go on, so that what comes next sees it, or one of its own. What cannot be laid out any more
 * (its job is gone) is left out.
 */
export function openModels(
  { open }: Server,
  bundle: Bundle,
  triggers: readonly TriggerModel[],
  works: Works,
): { readonly open: OpenModel[]; readonly triggers: TriggerModel[] } {
  const known = new Map(triggers.map((trigger) => [`${trigger.id} ${trigger.machine ?? ''}`, trigger]))
  const [jobs, flows] = [new Set(bundle.jobs.map(({ id }) => id)), new Set(bundle.flows.map(({ id }) => id))]
  const own: TriggerModel[] = []
  const models = [...open]
    .sort((a, b) => a.number - b.number)
    .flatMap((night): OpenModel[] => {
      const isThere = 'job' in night.start ? jobs.has(night.start.job) : flows.has(night.start.flow)
      const workOn = isThere ? works.of(night, bundle.triggers.length, true) : null
      if (!workOn) return []
      const whole = workOn(night.day)
      const { target } = night
      const work = target ? { ...whole, steps: whole.steps.map((step) => step && { ...step, target }) } : whole
      const at = { at: night.occurrence, day: night.day, due: night.due }
      const trigger = known.get(`${night.trigger ?? ''} ${night.machine ?? ''}`)
      if (trigger && night.trigger !== null && typeof night.waits !== 'number')
        return [{ of: { trigger, ...at }, night, work }]
      const alone: TriggerModel = {
        id: night.trigger ?? `#${night.number}`,
        index: bundle.triggers.length + own.length,
        machine: night.machine,
        overlap: 'start',
        waitMost: Infinity,
        workOn: () => work,
        occurrences: [],
      }
      own.push(alone)
      return [{ of: { trigger: alone, ...at }, night, work }]
    })
  return { open: models, triggers: own }
}
