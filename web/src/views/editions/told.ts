/** How editions are told of, wherever they are. */
import type { Schemas } from '../../api/client'
import { mediumDay } from '../../api/days'

export type Edition = Schemas['EditionOut']

export const restated = (edition: Edition) =>
  edition.state !== 'published' || edition.restated === null
    ? ''
    : edition.restated
      ? `${edition.restated} restated since`
      : 'as it was'

export const standing = (edition: Edition) => {
  const by = edition.by_clock ? ' by the calendar' : ''
  if (edition.state === 'draft') return `draft${by}, ${mediumDay(edition.made_at)}`
  return `published ${mediumDay(edition.published_at)}`
}
