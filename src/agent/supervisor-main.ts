import { supervise } from './supervisor'

/** `node supervisor.cjs supervise FOLDER`: a small file of its own, so that it is there in some hundredths of a second. */
void supervise(process.argv[3] ?? '')
