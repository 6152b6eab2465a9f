/** How a message went, in words. */
import type { Schemas } from '../../api/client'
import { when } from '../../api/days'

export function wayWords(way: Schemas['WayOut']): string {
  const how = way.channel === 'mail' ? `mail to ${way.to}` : way.to
  if (way.state === 'sent') return `${how}: sent${way.tries > 1 ? ` at try ${way.tries}` : ''}`
  if (way.state === 'bundled') return `${how}: within a digest`
  if (way.state === 'failed') return `${how}: given up. ${way.said.replace(/\.$/, '')}`
  return way.tries
    ? `${how}: not sent. ${way.said.replace(/\.$/, '')}. Tried again ${when(way.due_at)}`
    : `${how}: goes ${when(way.due_at)}`
}
