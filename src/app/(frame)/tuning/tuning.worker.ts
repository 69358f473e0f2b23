import { expose } from 'comlink'
import { TuningDesk } from '@/core/tuning/desk'

expose(new TuningDesk())
