/** Members, desks, sign-in. */
import { z } from 'zod';
import { isCommonPassword } from './commonPasswords.ts';
import { defaultNameRules, nameRuleProblem } from './nameRule.ts';
import { httpUrl, orEmpty } from './texts.ts';
import { currencyCode, isoTime, recordId, recordName, zoneName } from './primitives.ts';

export const roles = ['viewer', 'editor', 'owner'] as const;
export const role = z.enum(roles);
export type Role = z.infer<typeof role>;

/** Shortest password accepted for a member; longer than any list of common ones is useful for. */
export const MIN_PASSWORD_LENGTH = 12;

export const email = z
  .email('Enter an e-mail address.')
  .max(254)
  .transform((s) => s.trim().toLowerCase());

export const signInInput = z.object({
  email: z.string().min(1).max(254),
  password: z.string().min(1).max(1024),
});

const nameRule = (standard: string) =>
  z
    .string()
    .trim()
    .max(120, 'At most 120 characters.')
    .superRefine((rule, ctx) => {
      const problem = nameRuleProblem(rule);
      if (problem !== null) ctx.addIssue({ code: 'custom', message: problem });
    })
    .default(standard);
/** How campaigns and offers are called by suggestion; see `nameByRule`. */
export const nameRules = z.object({
  campaign: nameRule(defaultNameRules.campaign),
  offer: nameRule(defaultNameRules.offer),
});
export const deskInput = z.object({
  name: recordName,
  zone: zoneName,
  currency: currencyCode,
  /** Where visitors go when no offer, campaign or source has a place for them; left out: it stays. */
  fallbackUrl: orEmpty(httpUrl).optional(),
  /** Left out: they stay. */
  nameRules: nameRules.optional(),
});
/** As the form of the desk has it, whole. */
export const deskForm = deskInput.extend({ nameRules, fallbackUrl: orEmpty(httpUrl) });
export type DeskInput = z.infer<typeof deskInput>;

const newPassword = z
  .string()
  .min(MIN_PASSWORD_LENGTH, `At least ${MIN_PASSWORD_LENGTH} characters.`)
  .max(1024)
  .refine((s) => !isCommonPassword(s), 'This password is too easy to guess. Choose another one.');
export const passwordInput = z.object({
  current: z.string().min(1, 'Enter your current password.').max(1024),
  next: newPassword,
});

/** A person who already has an account joins with it and needs neither name nor password here. */
export const memberInput = z.object({
  name: z.union([z.literal(''), recordName]).default(''),
  email,
  role,
  password: z.union([z.literal(''), newPassword]).default(''),
});
export const passwordLinkAnswer = z.object({
  /** Works once, and is shown once. */
  url: z.string(),
  expiresAt: isoTime,
});
export const newPasswordInput = z.object({ secret: z.string().min(1).max(100), password: newPassword });
export const sessionRow = z.object({
  id: recordId,
  startedAt: isoTime,
  seenAt: isoTime,
  /** Browser and system by their names; the user agent where it has none. */
  agent: z.string(),
  /** /24 or /48 of the address. */
  addressPrefix: z.string(),
  isCurrent: z.boolean(),
});
export type SessionRow = z.infer<typeof sessionRow>;
export const newDeskInput = z.object({ name: recordName, zone: zoneName, currency: currencyCode });
export const switchDeskInput = z.object({ deskId: recordId });
export const memberRoleInput = z.object({ role });

export const rateInput = z.object({
  base: currencyCode,
  day: z.iso.date(),
  /** Units of the desk's currency for one of `base`, as decimal text. */
  rate: z
    .string()
    .trim()
    .regex(/^\d{1,9}(\.\d{1,9})?$/, 'Enter a number such as 0.9214.')
    .refine((s) => !/^0*(\.0*)?$/.test(s), 'Enter a rate above zero.'),
});

export const deskAnswer = z.object({
  id: recordId,
  name: z.string(),
  zone: z.string(),
  currency: z.string(),
  fallbackUrl: z.string(),
  nameRules: z.object({ campaign: z.string(), offer: z.string() }),
});
/** Most columns that a table has here, and the widest that one may be drawn (px). */
const MAX_COLUMNS = 60;
const MAX_COLUMN_PX = 2000;
const columnKey = z.string().max(60);
/** Order, hidden columns and widths (px) of one table, as a member left them. */
export const tableLayout = z.object({
  order: z.array(columnKey).max(MAX_COLUMNS),
  hidden: z.array(columnKey).max(MAX_COLUMNS),
  /** Beside the first column, which never scrolls away either. */
  pinned: z.array(columnKey).max(MAX_COLUMNS).default([]),
  widths: z.record(columnKey, z.int().min(0).max(MAX_COLUMN_PX)),
});
export type TableLayout = z.infer<typeof tableLayout>;
export const tableLayoutInput = z.object({
  table: z.string().regex(/^[a-z][a-z.-]{0,59}$/, 'Enter the name of a table.'),
  layout: tableLayout,
});

export const meAnswer = z.object({
  member: z.object({ id: recordId, name: z.string(), email: z.string() }),
  desk: deskAnswer,
  role,
  /** Desks that the member belongs to, by name. */
  desks: z.array(z.object({ id: recordId, name: z.string(), role })),
  /** Empty for a token: only sessions need one. */
  csrfToken: z.string(),
  /** Of the default tracking domain: what links begin with. */
  trackingOrigin: z.string(),
  /** Of all tracking domains of the desk. */
  trackingOrigins: z.array(z.string()),
  /** By the table's name. */
  tableLayouts: z.record(z.string(), tableLayout),
});
export type Me = z.infer<typeof meAnswer>;

export const memberRow = z.object({ id: recordId, name: z.string(), email: z.string(), role });
export type MemberRow = z.infer<typeof memberRow>;

export const rateRow = z.object({ base: z.string(), day: z.string(), rate: z.string() });
export const rateSchedule = z.object({
  isOn: z.boolean(),
  /** Since then no rates could be loaded; null: the last time they were. */
  failedAt: isoTime.nullable(),
});
export type RateSchedule = z.infer<typeof rateSchedule>;

/** What loading many rates did. */
export const ratesLoaded = z.object({
  /** Rates that are new or have changed. */
  rates: z.int(),
  currencies: z.array(z.string()),
  /** First and last day that the file has rates of. */
  from: z.string(),
  to: z.string(),
  /** Conversions that were waiting for one of them. */
  converted: z.int(),
  /** Rows that can’t be read, the first ones with their reasons. */
  problems: z.array(z.object({ n: z.int(), why: z.string() })),
});
export type RatesLoaded = z.infer<typeof ratesLoaded>;
export type RateRow = z.infer<typeof rateRow>;

/** What a token may do, at most what its member may: read, or change as well. */
export const tokenScopes = ['read', 'write'] as const;
export type TokenScope = (typeof tokenScopes)[number];
/** Days after which a token ends; 0: never. */
export const tokenDays = [7, 30, 90, 365, 0] as const;
export const tokenInput = z.object({
  name: recordName,
  scope: z.enum(tokenScopes).default('read'),
  days: z.union(tokenDays.map((n) => z.literal(n))).default(90),
  /** It ends when its member’s password is changed. */
  endsWithPassword: z.boolean().default(false),
});
export const tokenRow = z.object({
  id: recordId,
  name: z.string(),
  scope: z.enum(tokenScopes),
  memberName: z.string(),
  createdAt: isoTime,
  lastUsedAt: isoTime.nullable(),
  /** null: it does not expire. */
  expiresAt: isoTime.nullable(),
  endsWithPassword: z.boolean(),
});
export type TokenRow = z.infer<typeof tokenRow>;
/** The only time that the token itself is told. */
export const madeToken = tokenRow.extend({ token: z.string() });
export type MadeToken = z.infer<typeof madeToken>;
