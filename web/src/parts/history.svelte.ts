/** Steps that can be taken back and made again. */
const MOST = 200

/** How a step is taken: resolves to the step that leads back from there, or to null where it could not be taken. */
type Take<Step> = (step: Step, way: 'undo' | 'redo') => Promise<Step | null> | Step | null

export class History<Step> {
  private past = $state.raw<Step[]>([])
  private future = $state.raw<Step[]>([])

  canUndo = $derived(this.past.length > 0)
  canRedo = $derived(this.future.length > 0)
  /** The steps that undo and redo would take. */
  back = $derived(this.past.at(-1))
  forth = $derived(this.future.at(-1))

  constructor(private take: Take<Step>) {}

  /** A change was made: the step that takes it back. */
  note(step: Step) {
    this.past = [...this.past.slice(1 - MOST), step]
    this.future = []
  }

  clear() {
    this.past = []
    this.future = []
  }

  async undo() {
    const step = this.back
    const forth = step === undefined ? null : await this.take(step, 'undo')
    if (forth === null) return
    this.past = this.past.slice(0, -1)
    this.future = [...this.future, forth]
  }

  async redo() {
    const step = this.forth
    const back = step === undefined ? null : await this.take(step, 'redo')
    if (back === null) return
    this.future = this.future.slice(0, -1)
    this.past = [...this.past, back]
  }

  /** Ctrl or Command with Z, and with Shift the other way; typing in a field has an undo of its own. */
  keys = (event: KeyboardEvent) => {
    const typing = (event.target as HTMLElement).closest?.(
      'input:not([type=range]):not([type=checkbox]), textarea',
    )
    if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || typing) return
    event.preventDefault()
    void (event.shiftKey ? this.redo() : this.undo())
  }
}
