/** A number of things in words: “1 marker”, “3 markers”. */
export const countOf = (n: number, one: string, many: string): string => `${n} ${n === 1 ? one : many}`;
