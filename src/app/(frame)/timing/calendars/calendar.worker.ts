import { expose } from 'comlink'
import { CalendarCalculator } from '@/core/phrase/calendar-calculator'

expose(new CalendarCalculator())
