import { useState } from 'react'
import type { KeptView } from '../../shared/api/client'
import { goToView, keepView } from '../../shared/eye'
import { doEdit, say, useSession } from '../../shared/session'
import { WordMenu } from '../../shared/ui/Menu'

const NONE: readonly KeptView[] = []

/** Ways to look that were kept: the eye, the section, how it is drawn and what is shown. */
export function Views() {
  const views = useSession((s) => s.bench?.document.views ?? NONE)
  const [naming, setNaming] = useState<string | null>(null)
  const rename = (name: string, wanted: string) => {
    setNaming(null)
    if (!wanted) return
    if (wanted !== name && views.some((v) => v.name === wanted))
      say(`There is a view “${wanted}” already. Its menu takes what is seen now.`)
    else if (name === '') keepView(wanted)
    else if (wanted !== name) doEdit({ kind: 'rename_view', name, new_name: wanted })
  }
  return (
    <section data-testid="views">
      <h2>
        Views
        <button
          className="plain muted"
          aria-label="Keep this view"
          title="Keep this view: eye, section, ways to judge, what is shown"
          data-testid="keep-view"
          onClick={() => setNaming('')}
        >
          +
        </button>
      </h2>
      {views.map((v) => (
        <div key={v.name} className="row">
          {naming === v.name ? (
            <NameField name={v.name} keep={(w) => rename(v.name, w)} />
          ) : (
            <>
              <button
                className="plain grow"
                data-testid={`view-${v.name}`}
                title="Look so"
                onClick={() => goToView(v)}
              >
                {v.name}
              </button>
              <WordMenu
                testId={`view-menu-${v.name}`}
                trigger={
                  <button
                    className="plain muted"
                    aria-label={`More about ${v.name}`}
                    data-testid={`view-more-${v.name}`}
                  >
                    …
                  </button>
                }
                entries={[
                  { id: 'rename', words: 'Rename', act: () => setNaming(v.name) },
                  { id: 'again', words: 'Take what is seen now', act: () => keepView(v.name) },
                  {
                    id: 'remove',
                    words: 'Remove',
                    act: () => doEdit({ kind: 'remove_view', name: v.name }),
                  },
                ]}
              />
            </>
          )}
        </div>
      ))}
      {views.length === 0 && naming === null && <p className="muted">None kept yet.</p>}
      {naming === '' && <NameField name="" keep={(w) => rename('', w)} />}
    </section>
  )
}

function NameField({ name, keep }: { name: string; keep: (wanted: string) => void }) {
  return (
    <input
      className="field grow"
      autoFocus
      aria-label="Name of the view"
      data-testid="view-name"
      placeholder="Foot from below"
      maxLength={200}
      defaultValue={name}
      onBlur={(e) => keep(e.target.value.trim())}
      onKeyDown={(e) => {
        e.stopPropagation()
        if (e.key === 'Enter') e.currentTarget.blur()
        if (e.key === 'Escape') {
          e.currentTarget.value = name
          e.currentTarget.blur()
        }
      }}
    />
  )
}
