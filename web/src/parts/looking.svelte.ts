/** What of a file that has not been kept yet is to be looked at: it goes with nobody but this page. */
export const looking = $state<{ file: File | null; sheet?: string }>({ file: null })
