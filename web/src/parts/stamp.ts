/** A scorecard as small as a stamp, drawn as few paths: one for each colour and kind of line, however many sheets. */
import type { Schemas } from '../api/client'
import { colour } from '../api/states.svelte'

export interface Stroke {
  d: string
  colour: string
  /** How wide its line is; 0 for a filled form. */
  width: number
  opacity: number
  round: boolean
}
export const W = 288
export const HIGH = 17 // rows that are seen
export const ROW = 7
const GAP = 3
const TRACK = 'var(--track)'

const fixed = (n: number) => Math.round(n * 10) / 10
function arc(from: number, to: number, x: number, y: number, r: number): string {
  const at = (f: number) => {
    const a = Math.PI * (1 - f)
    return `${fixed(x + r * Math.cos(a))} ${fixed(y - r * Math.sin(a))}`
  }
  return `M${at(from)}A${fixed(r)} ${fixed(r)} 0 0 1 ${at(to)}`
}
const box = (x: number, y: number, w: number, h: number) =>
  `M${fixed(x)} ${fixed(y)}h${fixed(w)}v${fixed(h)}h${fixed(-w)}z`

/** The papers of its sheets as one path, and what is drawn on them. */
export function strokes(stamps: Schemas['Stamp'][]): { papers: string; drawn: Stroke[] } {
  const found = new Map<string, Stroke>()
  let papers = ''
  function add(d: string, of: string, width = 0, { opacity = 1, round = false } = {}) {
    const key = `${of} ${width} ${opacity} ${round}`
    const held = found.get(key)
    if (held) held.d += d
    else found.set(key, { d, colour: of, width, opacity, round })
  }
  const bar = (x: number, y: number, w: number, of: string, thick = 2.8) =>
    add(`M${fixed(x + thick / 2)} ${fixed(y)}h${fixed(Math.max(0.1, w - thick))}`, of, thick, { round: true })
  const dot = (x: number, y: number, r: number, of: string) =>
    add(`M${fixed(x)} ${fixed(y)}h0.01`, of, r * 2, { round: true })

  for (const one of stamps) {
    if (one.y >= HIGH) continue
    const x = (one.x / 12) * W + GAP / 2
    const y = one.y * ROW + GAP / 2
    const w = (one.w / 12) * W - GAP
    const h = one.h * ROW - GAP
    const [cx, middle] = [x + w / 2, y + h / 2]
    papers += box(x, y, w, h)
    const rows = one.rows as [number, string | null][]
    const bands = one.bands as [number, number, string][]
    if (one.kind === 'words') {
      for (const [n, long] of [0.8, 0.65, 0.72].slice(0, Math.max(1, Math.floor((h - 6) / 7))).entries())
        bar(x + 5, y + 6 + n * 7, (w - 10) * long, TRACK, 2)
    } else if (one.kind === 'dial') {
      const r = Math.max(5, Math.min(w / 2 - 6, h - 10))
      const cy = middle + r / 2
      for (const [from, to, state] of bands)
        add(arc(from, to, cx, cy, r), colour(state), fixed(r * 0.28), {
          opacity: state === rows[0]?.[1] ? 1 : 0.22,
        })
      if (rows[0]) {
        const a = Math.PI * (1 - rows[0][0])
        add(
          `M${fixed(cx)} ${fixed(cy)}L${fixed(cx + r * 0.8 * Math.cos(a))} ${fixed(cy - r * 0.8 * Math.sin(a))}`,
          'var(--ink)',
          1.6,
        )
      }
    } else if (one.kind === 'ring') {
      const r = Math.max(4, Math.min(w, h) / 2 - 5)
      const round = (share: number) => {
        const at = (f: number) => {
          const a = 2 * Math.PI * f - Math.PI / 2
          return `${fixed(cx + r * Math.cos(a))} ${fixed(middle + r * Math.sin(a))}`
        }
        const end = Math.min(share, 0.9999)
        return `M${at(0)}A${fixed(r)} ${fixed(r)} 0 ${end > 0.5 ? 1 : 0} 1 ${at(end)}`
      }
      add(round(1), TRACK, fixed(r * 0.3))
      if (rows[0] && rows[0][0] > 0) add(round(rows[0][0]), colour(rows[0][1]), fixed(r * 0.3))
    } else if (one.kind === 'dots') {
      for (const [left, up, state] of bands)
        dot(x + 4 + left * (w - 8), y + h - 4 - up * (h - 8), 2, colour(state))
    } else if (one.kind === 'history') {
      const step = (w - 10) / Math.max(1, rows.length - 1)
      const place = (n: number, f: number) => [x + 5 + n * step, y + h - 5 - f * (h - 10)] as const
      add(
        rows.map(([f], n) => `${n ? 'L' : 'M'}${place(n, f).map(fixed).join(' ')}`).join(''),
        'var(--soft)',
        1,
      )
      for (const [n, [f, state]] of rows.entries()) dot(...place(n, f), 1.6, colour(state))
    } else if (one.kind === 'plates') {
      const size = Math.min(9, (w - 8) / Math.max(1, rows.length) - 2, h - 6)
      for (const [n, [, state]] of rows.entries())
        add(box(x + 5 + n * (size + 2), middle - size / 2, size, size), colour(state))
    } else {
      const fit = rows.slice(0, Math.max(1, Math.floor((h - 3) / 6)))
      const step = (h - 4) / fit.length
      for (const n of fit.keys()) bar(x + 5, y + 2 + step * (n + 0.5), w - 10, TRACK)
      for (const [n, [f, state]] of fit.entries())
        bar(x + 5, y + 2 + step * (n + 0.5), Math.max(2.9, (w - 10) * f), colour(state))
    }
  }
  return { papers, drawn: [...found.values()] }
}
