/** A name for something new in a treatment. */
export const identifier = (prefix: string): string => `${prefix}${crypto.randomUUID().slice(0, 13)}`
