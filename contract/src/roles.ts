import { z } from 'zod';

/** What somebody may do in a collection, each with all that the ones before it may. */
export const ROLES = [
  /** Searches and hears, and keeps marks of their own. */
  'listener',
  /** Makes pull lists too, copies out, takes records out. */
  'editor',
  /** Describes too. */
  'assistant',
  /** Does all that the collection knows: plans that name, write, cut and relocate files; reads folders, files batches, brings tables back. */
  'librarian',
] as const;
export const roleSchema = z.enum(ROLES);
export type Role = z.infer<typeof roleSchema>;

/** Whether a role is another one or more. */
export function isAtLeast(role: Role, needed: Role): boolean {
  return ROLES.indexOf(role) >= ROLES.indexOf(needed);
}

/** The role of somebody in a collection. */
export const collectionRoleSchema = z.strictObject({ collectionId: z.number().int().positive(), role: roleSchema });
export type CollectionRole = z.infer<typeof collectionRoleSchema>;
/** Another role of somebody in a collection; null takes it away. Those that are not named stay: a colleague may have given them since. */
export const roleChangeSchema = z.strictObject({
  collectionId: z.number().int().positive(),
  role: roleSchema.nullable(),
});
export type RoleChange = z.infer<typeof roleChangeSchema>;
export const roleChangesSchema = z.array(roleChangeSchema).max(10_000);
export const collectionRolesSchema = z.array(collectionRoleSchema).max(10_000);
