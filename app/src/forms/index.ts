export { bodyProblems, useKeptForm, type KeptForm } from './kept-form';
export { useKeptEntry, type KeptEntry } from './kept-entry';
export { CameBack, ChoiceField, FormNotes, TextField } from './fields';
