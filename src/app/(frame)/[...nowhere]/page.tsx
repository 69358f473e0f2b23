import { notFound } from 'next/navigation'

/** Every address that no screen has: said within the frame. */
export default function Nowhere(): never {
  notFound()
}
