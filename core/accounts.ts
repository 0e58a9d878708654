/** Who may look at everything, and who may change it too. */
export const ROLES = ['owner', 'viewer'] as const
export type Role = (typeof ROLES)[number]

export interface Account { readonly id: string; readonly name: string; readonly role: Role }

/** Characters that a new password has at least: long rather than intricate (NIST SP 800-63B, 5.1.1, asks for 8 or more; from memory). */
export const LEAST_PASSWORD = 10
