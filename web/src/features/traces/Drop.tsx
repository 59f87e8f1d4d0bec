import { useRef, useState, type ChangeEvent, type DragEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { Button } from '../../shared/ui'

interface DropProps {
  onFiles: (files: File[]) => void
  busy: boolean
  said?: string
}

/** Where recordings are dropped: a file, several, a folder, or a zip. */
export function Drop({ onFiles, busy, said }: DropProps) {
  const { t } = useTranslation()
  const [over, setOver] = useState(false)
  const folder = useRef<HTMLInputElement>(null)
  const give = (files: File[]) => {
    if (files.length > 0 && !busy) onFiles(files)
  }
  const chosen = (event: ChangeEvent<HTMLInputElement>) => {
    give(Array.from(event.target.files ?? []).filter(({ name }) => !name.startsWith('.')))
    event.target.value = ''
  }
  const drop = (event: DragEvent) => {
    event.preventDefault()
    setOver(false)
    void filesOf(event.dataTransfer).then(give)
  }
  return (
    <div className="flex flex-wrap items-end gap-3">
      <label
        onDragOver={(event) => {
          event.preventDefault()
          setOver(true)
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
        className={`inline-flex min-h-14 cursor-pointer items-center border-2 border-dashed border-ink px-6 font-semibold focus-within:outline-2 ${over ? 'bg-hair' : 'bg-sheet'}`}
      >
        <span aria-live="polite">{said ?? t(busy ? 'traces.reading' : 'traces.drop')}</span>
        <input type="file" multiple className="sr-only" onChange={chosen} />
      </label>
      <Button onClick={() => folder.current?.click()} disabled={busy}>
        {t('traces.folder')}
      </Button>
      <input
        ref={(input) => {
          folder.current = input
          input?.setAttribute('webkitdirectory', '')
        }}
        type="file"
        aria-label={t('traces.folder')}
        tabIndex={-1}
        className="hidden"
        onChange={chosen}
      />
    </div>
  )
}

/** The files of what was dropped, folders opened. */
async function filesOf(dropped: DataTransfer): Promise<File[]> {
  const entries = Array.from(dropped.items, (item) => item.webkitGetAsEntry())
  if (!entries.some((entry) => entry?.isDirectory)) return Array.from(dropped.files)
  const found = await Promise.all(entries.map((entry) => (entry ? filesIn(entry) : [])))
  return found.flat()
}

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (entry.name.startsWith('.')) return []
  if (entry.isFile) {
    return [await new Promise<File>((done, wrong) => (entry as FileSystemFileEntry).file(done, wrong))]
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const files: File[] = []
  // a directory tells its entries some at a time, until it tells none
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, wrong) => reader.readEntries(done, wrong))
    if (some.length === 0) return files
    files.push(...(await Promise.all(some.map(filesIn))).flat())
  }
}
