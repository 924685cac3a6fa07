export { bodyProblems, useKeptForm, type KeptForm } from './kept-form';
export { useKeptEntry, type KeptEntry } from './kept-entry';
export { CameBack, ChoiceField, FormNotes, LeaveForm, LengthField, TextField } from './fields';
export { useLineEntry, type LineEntry } from './line-entry';
