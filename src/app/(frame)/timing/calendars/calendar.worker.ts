import { expose } from 'comlink'
import { CalendarDesk } from '@/core/phrase/calendar-desk'

expose(new CalendarDesk())
