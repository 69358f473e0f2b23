import { expose } from 'comlink'
import { NightCalculator } from '@/core/tuning/night-calculator'

expose(new NightCalculator())
