import type { Change } from '../forecast/change'
import { changed, type Material } from '../forecast/changed'
import { isLater, laterOf } from '../forecast/server'
import { nightOf, type NightForecast } from '../forecast/night'
import { demandPicture, type DemandPicture } from './picture'

/** What follows from a change of start times, at once: by usual lengths, without samples. */
export interface CalculatedNight {
  readonly forecast: NightForecast
  readonly demand: DemandPicture
}

/** Keeps what a forecast is made of, for a thread of the browser that answers while somebody drags. */
export class NightCalculator {
  private material: Material | null = null
  private now = 0

  /** @param now when the material was as it is, seconds since the epoch */
  know(material: Material, now: number): void {
    this.material = material
    this.now = now
  }

  /** A stretch that began before goes on from now. `from`: seconds since the epoch. Throws a ForecastFault. */
  view(from: number, hours: number, changes: readonly Change[]): CalculatedNight {
    if (!this.material) throw new Error('Nothing is known yet.')
    const material = changed(this.material, changes)
    const later = material.server ? { ...material, server: laterOf(material.server) } : material
    const begins = Math.max(from, this.now)
    const left = Math.max(1, Math.ceil((from + hours * 3600 - begins) / 3600))
    return {
      forecast: nightOf(isLater(from, this.now) ? later : material, begins, left, { samples: 0 }),
      // Demand is the whole stretch’s: it knows no now.
      demand: demandPicture(later, from, hours),
    }
  }
}
