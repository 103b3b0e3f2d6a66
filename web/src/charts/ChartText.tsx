import { defaultKeymap, history, historyKeymap, redo, undo } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, lineNumbers, highlightActiveLine } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { useEffect, useImperativeHandle, useRef, type Ref } from 'react';
import type { Schemas } from '../api/client';
import { tone } from '../theme';

/** What the page around may ask of the text. */
export interface TextHandle {
  /** Another text, as one step that can be undone. */
  replace: (text: string) => void;
  goTo: (line: number, column: number) => void;
  undo: () => void;
  redo: () => void;
}

/** Enough of the notation to colour it; what it means is read in the core. */
const notation = StreamLanguage.define({
  token(stream) {
    if (stream.sol()) {
      if (stream.match(/^#.*/)) return 'comment';
      if (stream.match(/^figure\b/)) return 'heading';
      if (stream.match(/^\s+[a-z ]+:/)) return 'propertyName';
    }
    if (stream.match(/^[<>]\d\/8/) || stream.match(/^![a-z-]+/)) return 'keyword';
    if (stream.match(/^\|/)) return 'separator';
    stream.next();
    return null;
  },
});

const colours = HighlightStyle.define([
  { tag: tags.comment, color: tone.second, fontStyle: 'italic' },
  { tag: tags.heading, fontWeight: '700' },
  { tag: tags.propertyName, color: tone.second },
  { tag: tags.keyword, color: tone.caution },
  { tag: tags.separator, color: tone.second },
]);

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '12px', backgroundColor: 'transparent', color: tone.ink },
  '&.cm-focused': { outline: `2px solid ${tone.ink}`, outlineOffset: '-2px' },
  '.cm-scroller': { fontFamily: 'ui-monospace, "DejaVu Sans Mono", monospace', lineHeight: '1.5' },
  '.cm-content': { caretColor: tone.ink },
  '.cm-cursor': { borderLeftColor: tone.ink },
  '.cm-gutters': {
    backgroundColor: tone.card,
    color: tone.second,
    borderRight: `1px solid ${tone.hairline}`,
  },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: tone.selected },
  '.cm-tooltip': { backgroundColor: tone.card, color: tone.ink, borderColor: tone.hairline },
  '.cm-lintRange-error': {
    backgroundImage: 'none',
    textDecoration: `underline wavy ${tone.caution}`,
  },
  '.cm-diagnostic-error': { borderLeftColor: tone.caution },
});

const nonce = document.querySelector<HTMLMetaElement>('meta[name=csp-nonce]')?.content ?? '';

function diagnostics(state: EditorState, problems: Schemas['ChartProblem'][]): Diagnostic[] {
  return problems
    .filter((p) => p.severity === 'stops' && p.line <= state.doc.lines)
    .map((p) => {
      const line = state.doc.line(p.line);
      const from = Math.min(line.to, line.from + p.column - 1);
      // From there to the end of the cell.
      const rest = state.sliceDoc(from, line.to).search(/\s*(\||$)/);
      return {
        from,
        to: Math.max(from, from + rest),
        severity: 'error' as const,
        message: p.suggestion ? `${p.sentence} ${p.suggestion}` : p.sentence,
      };
    });
}

/** The notation's text: numbered lines, problems marked where they are, undo. */
export function ChartText({
  ref,
  initial,
  problems,
  problemsOf,
  onChange,
  onLine,
  onSave,
}: {
  ref: Ref<TextHandle>;
  initial: string;
  problems: Schemas['ChartProblem'][];
  /** The text the problems are of; of any other they stay away until it is checked. */
  problemsOf: string;
  onChange: (text: string) => void;
  onLine: (line: number) => void;
  onSave: () => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const call = useRef({ onChange, onLine, onSave });
  useEffect(() => {
    call.current = { onChange, onLine, onSave };
  });
  const first = useRef(initial);
  useEffect(() => {
    if (!box.current) return;
    const editor = new EditorView({
      parent: box.current,
      state: EditorState.create({
        doc: first.current,
        extensions: [
          lineNumbers(),
          lintGutter(),
          highlightActiveLine(),
          history(),
          notation,
          syntaxHighlighting(colours),
          look,
          EditorView.cspNonce.of(nonce),
          EditorView.contentAttributes.of({ 'aria-label': 'Text of the figure', tabindex: '0' }),
          keymap.of([
            {
              key: 'Mod-s',
              preventDefault: true,
              run: () => {
                call.current.onSave();
                return true;
              },
            },
            ...historyKeymap,
            ...defaultKeymap,
          ]),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) call.current.onChange(u.state.doc.toString());
            if (u.docChanged || u.selectionSet) {
              call.current.onLine(u.state.doc.lineAt(u.state.selection.main.head).number);
            }
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, []);
  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() === problemsOf) {
      editor.dispatch(setDiagnostics(editor.state, diagnostics(editor.state, problems)));
    }
  }, [problems, problemsOf]);
  useImperativeHandle(ref, () => ({
    replace(text) {
      const editor = view.current;
      if (!editor) return;
      const doc = editor.state.doc.toString();
      // Only what differs, so that the caret stays where it can.
      let from = 0;
      while (from < doc.length && from < text.length && doc[from] === text[from]) from++;
      let end = 0;
      const most = Math.min(doc.length, text.length) - from;
      while (end < most && doc[doc.length - 1 - end] === text[text.length - 1 - end]) end++;
      editor.dispatch({
        changes: { from, to: doc.length - end, insert: text.slice(from, text.length - end) },
        userEvent: 'input',
      });
    },
    goTo(line, column) {
      const editor = view.current;
      if (!editor) return;
      const at = editor.state.doc.line(Math.min(line, editor.state.doc.lines));
      editor.dispatch({
        selection: { anchor: Math.min(at.to, at.from + column - 1) },
        scrollIntoView: true,
      });
      editor.focus();
    },
    undo: () => void (view.current && undo(view.current)),
    redo: () => void (view.current && redo(view.current)),
  }));
  return <div ref={box} style={{ height: '100%', minHeight: 0 }} />;
}
