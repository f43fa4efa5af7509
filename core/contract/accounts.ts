/** Members, desks, sign-in. */
import { z } from 'zod';
import { currencyCode, recordName, zoneName } from './primitives.ts';

export const roles = ['viewer', 'editor', 'owner'] as const;
export const role = z.enum(roles);
export type Role = z.infer<typeof role>;

/** Shortest password accepted for a member; longer than any list of common ones is useful for. */
export const MIN_PASSWORD_LENGTH = 12;

export const email = z
  .email('An e-mail address, please.')
  .max(254)
  .transform((s) => s.trim().toLowerCase());

export const signInInput = z.object({
  email: z.string().min(1).max(254),
  password: z.string().min(1).max(1024),
});

export const deskInput = z.object({ name: recordName, zone: zoneName, currency: currencyCode });
export type DeskInput = z.infer<typeof deskInput>;

const newPassword = z
  .string()
  .min(MIN_PASSWORD_LENGTH, `At least ${MIN_PASSWORD_LENGTH} characters.`)
  .max(1024);
export const passwordInput = z.object({
  current: z.string().min(1, 'Your present password, please.').max(1024),
  next: newPassword,
});

export const memberInput = z.object({
  name: recordName,
  email,
  role,
  password: newPassword,
});
export const memberRoleInput = z.object({ role });

export const rateInput = z.object({
  base: currencyCode,
  day: z.iso.date(),
  /** Units of the desk's currency for one of `base`, as decimal text. */
  rate: z
    .string()
    .trim()
    .regex(/^\d{1,9}(\.\d{1,9})?$/, 'A number such as 0.9214.')
    .refine((s) => !/^0*(\.0*)?$/.test(s), 'A rate is above zero.'),
});

export interface Me {
  member: { id: string; name: string; email: string };
  desk: { id: string; name: string; zone: string; currency: string };
  role: Role;
  csrfToken: string;
  trackingOrigin: string;
}
export interface MemberRow {
  id: string;
  name: string;
  email: string;
  role: Role;
}
export interface RateRow {
  base: string;
  day: string;
  rate: string;
}
