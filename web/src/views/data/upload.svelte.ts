/** A file on its way: sent with progress, read by the server in the background, and stopped at will. */
import { Refusal, api, got, seen, type Problem, type Schemas } from '../../api/client'

const POLL_MS = 250
/** Larger files are sent in pieces, so that one that was stopped or cut off goes on where it was. */
const LARGE_BYTES = 64 * 1024 * 1024
const PIECE_BYTES = 8 * 1024 * 1024
const TRIES = 5

interface Aim {
  sheet?: string
  /** How the file writes numbers; left out, it is found. */
  decimal?: 'point' | 'comma' | ''
  /** New rows of this dataset, seen at a version, instead of a dataset of its own. */
  dataset?: { id: string; version: number }
  how?: 'replace' | 'append' | 'periods'
  /** How it is read, as it was looked at, and what it is called. */
  recipe?: Recipe
  name?: string
  /** Take it also where it is no longer read as the rows before were. */
  force?: boolean
}
export type Recipe = Schemas['TableLook']['recipe']
export type Unfolded = Schemas['UnfoldedTable']

/** Pasted cells as rows of their own; null of a plain list, and of what is no table. */
export async function unfolded(cells: string[][]): Promise<Unfolded | null> {
  try {
    return await got(api.POST('/api/uploads/unfold', { body: { cells } }))
  } catch (error) {
    if (error instanceof Refusal) return null // it stays as it was pasted
    throw error
  }
}

export class Sending {
  stage = $state('')
  share = $state(0)
  /** What there is to say of one that is done, such as that its rows were here already. */
  said = $state('')
  private request: XMLHttpRequest | null = null
  private ticket = ''
  private stopped = false

  /** Resolves to the dataset's id, or to null when it was stopped. Raises Refusal. */
  async send(file: File, aim: Aim = {}): Promise<string | null> {
    this.begin(`Sending ${file.name}`)
    return this.follow(await (file.size > LARGE_BYTES ? this.inPieces(file, aim) : this.post(file, aim)))
  }

  /** Rows that the server reads from where they are, and anew by the clock; as ``send``. */
  async read(body: Schemas['NewKept']): Promise<string | null> {
    this.begin('Reading the rows')
    const query = { ticket: this.ticket }
    return this.follow(await got(api.POST('/api/datasets/kept', { params: { query }, body })))
  }

  private begin(stage: string) {
    this.stopped = false
    this.ticket = crypto
      .getRandomValues(new Uint32Array(3))
      .reduce((text, part) => text + part.toString(36), 't')
    this.stage = stage
    this.share = 0
    this.said = ''
  }

  private async follow(upload: Schemas['Upload'] | null): Promise<string | null> {
    while (upload?.state === 'running') {
      this.stage = upload.stage
      this.share = 0.3 + 0.7 * upload.share
      await new Promise((resolve) => setTimeout(resolve, POLL_MS))
      upload = await got(api.GET('/api/uploads/{key}', { params: { path: { key: upload.id } } }))
    }
    if (!upload || upload.state === 'stopped' || (this.stopped && upload.state !== 'done')) return null
    if (upload.state === 'failed' && upload.problem) throw new Refusal(upload.problem)
    if (upload.stage !== 'Done') this.said = upload.stage
    return upload.dataset ?? null
  }

  stop() {
    this.stopped = true
    this.request?.abort()
    // The server may have it all already, so it is told as well.
    void got(api.DELETE('/api/uploads/{key}', { params: { path: { key: this.ticket } } })).catch(() => null)
  }

  /** The same file goes by the same name, also after the page was left. */
  private async inPieces(file: File, aim: Aim): Promise<Schemas['Upload'] | null> {
    const text = `${file.name}/${file.size}/${file.lastModified}`
    const hash = [...text].reduce((sum, sign) => (Math.imul(sum, 31) + sign.codePointAt(0)!) >>> 0, 7)
    const key = `p${hash.toString(36)}${file.size.toString(36)}${file.lastModified.toString(36)}`
    const path = { key }
    let { pieces } = await got(api.GET('/api/uploads/{key}/pieces', { params: { path } }))
    if (pieces) this.stage = `Going on with ${file.name}`
    const many = Math.ceil(file.size / PIECE_BYTES)
    for (let tries = 0; pieces < many;) {
      if (this.stopped) return null
      this.share = (0.3 * pieces) / many
      const body = file.slice(pieces * PIECE_BYTES, (pieces + 1) * PIECE_BYTES)
      try {
        const answer = await fetch(`/api/uploads/${key}/pieces/${pieces}`, { method: 'PUT', body })
        const told = (await answer.json()) as Schemas['Pieces'] | Problem
        if (!('pieces' in told)) throw new Refusal(told)
        pieces = told.pieces
        tries = 0
      } catch (error) {
        if ((error instanceof Refusal && error.problem.status < 500) || ++tries > TRIES) throw error
        await new Promise((resolve) => setTimeout(resolve, 1000 * tries))
      }
    }
    const query = {
      size: file.size,
      file_name: file.name,
      ticket: this.ticket,
      sheet: aim.sheet,
      decimal: aim.decimal || undefined,
      dataset: aim.dataset?.id,
      how: aim.how,
      force: aim.force,
    }
    const header = aim.dataset ? seen(aim.dataset.version) : {}
    return got(api.POST('/api/uploads/{key}/pieces', { params: { path, query, header } }))
  }

  private post(file: File, aim: Aim): Promise<Schemas['Upload'] | null> {
    const query = new URLSearchParams({ ticket: this.ticket })
    if (aim.sheet) query.set('sheet', aim.sheet)
    if (aim.force) query.set('force', 'true')
    if (aim.decimal) query.set('decimal', aim.decimal)
    if (aim.dataset) query.set('dataset', aim.dataset.id)
    if (aim.how) query.set('how', aim.how)
    const request = (this.request = new XMLHttpRequest())
    request.open('POST', `/api/uploads?${query}`)
    if (aim.dataset) request.setRequestHeader('if-match', `"${aim.dataset.version}"`)
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) this.share = (0.3 * event.loaded) / event.total
    }
    const form = new FormData()
    form.append('file', file)
    if (aim.recipe) form.append('recipe', JSON.stringify(aim.recipe))
    if (aim.name) form.append('name', aim.name)
    return new Promise((resolve, reject) => {
      const away = { title: 'The server does not answer', status: 0, type: 'no-answer' }
      request.onload = () => {
        this.request = null
        const answer = JSON.parse(request.responseText || 'null') as Schemas['Upload'] | Problem | null
        if (request.status === 202) resolve(answer as Schemas['Upload'])
        else
          reject(
            new Refusal((answer as Problem | null) ?? { ...away, detail: 'The server does not answer.' }),
          )
      }
      request.onerror = () =>
        reject(
          new Refusal({
            ...away,
            detail: 'The server does not answer. Nothing was kept; try again in a moment.',
          }),
        )
      request.onabort = () => resolve(null)
      request.send(form)
    })
  }
}

const MOST_LOOKED_AT = 3_000_000 // bytes; larger ones come from machines, and are lists

/** A table as it came, and what it is taken for; null for what is read without a look. */
export async function lookAt(
  file: File,
  recipe?: Recipe,
  sheet?: string,
): Promise<Schemas['TableLook'] | null> {
  if (file.size > MOST_LOOKED_AT || /\.(parquet|json|zip|gz)$/i.test(file.name)) return null
  const form = new FormData()
  form.append('file', file)
  if (recipe) form.append('recipe', JSON.stringify(recipe))
  return got(
    api.POST('/api/uploads/look', {
      params: { query: { sheet } },
      body: { file: file as unknown as string },
      bodySerializer: () => form,
    }),
  )
}

/** The sheets of a workbook to choose from; none for any other file. */
export async function sheetsOf(file: File): Promise<string[]> {
  if (!/\.(xlsx|ods)$/i.test(file.name)) return []
  const form = new FormData()
  form.append('file', file)
  const found = await got(
    api.POST('/api/datasets/sheets', {
      body: { file: file as unknown as string },
      bodySerializer: () => form,
    }),
  )
  return found.length > 1 ? found : []
}
