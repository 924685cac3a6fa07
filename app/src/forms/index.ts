export { bodyProblems, useKeptForm, type KeptForm } from './kept-form';
export { ChoiceField, FormNotes, TextField } from './fields';
