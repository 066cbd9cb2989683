import { parseArgs } from 'node:util';
import { newAccountSchema, newTokenSchema } from '@flagstone/contract/people';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { collections } from '../db/schema.ts';
import { addAccount, listAccounts, makeAccountLink } from '../people/accounts.ts';
import { makeToken } from '../people/api-tokens.ts';
import { SHELL } from '../people/audit-log.ts';
import { accountOf } from '../people/sign-in.ts';
import { inDataFolder } from './in-data-folder.ts';
import { UsageError } from './usage.ts';

const USAGE = `person add NAME [--account ACCOUNT] [--role ROLE] [--administrator]
person reset NAME
person token NAME [--role ROLE] [--days N] [--name WHAT]
person list`;
const TOKEN_DAYS = 90;

interface Given {
  account: string | undefined;
  administrator: boolean;
  role: string | undefined;
  days: string | undefined;
  name: string | undefined;
}

/**
 * `person`: adds people, lets them choose another password, makes tokens for scripts and lists everybody, on a database that runs or not. Whoever has the data folder
 * may do that; it stands in the audit log as done at the shell.
 */
export async function person(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      account: { type: 'string' },
      administrator: { type: 'boolean', default: false },
      role: { type: 'string' },
      days: { type: 'string' },
      name: { type: 'string' },
    },
  });
  const [what = '', whom, ...more] = positionals;
  const acts: Record<string, ((app: AppContext, whom: string, given: Given) => Promise<string>) | undefined> = {
    add,
    reset,
    token,
    list,
  };
  const act = acts[what];
  if (!act || more.length > 0 || (what === 'list') !== (whom === undefined)) throw new UsageError(`use\n${USAGE}`);
  const { account, administrator, role, days, name } = values;
  const said = await inDataFolder(values.data, [], (app) =>
    act(app, whom ?? '', { account, administrator, role, days, name }),
  );
  process.stdout.write(said);
  return 0;
}

async function add(app: AppContext, name: string, given: Given): Promise<string> {
  // First names are what people sign in with where nothing else is said.
  const account = given.account ?? name.trim().split(/\s+/)[0] ?? '';
  // In every collection that there is; the people's page says more.
  const everywhere =
    given.role === undefined ? [] : await app.db.select({ collectionId: collections.id }).from(collections);
  const roles = everywhere.map((each) => ({ ...each, role: given.role }));
  const added = parsed(newAccountSchema, { name, account, isAdministrator: given.administrator, roles });
  const secret = await addAccount(app, added, undefined, SHELL);
  return linkWords(`${added.name} signs in as “${accountOf(added.account)}”`, secret);
}

async function reset(app: AppContext, name: string): Promise<string> {
  const { id, name: full } = await found(app, name);
  const secret = await makeAccountLink(app, id, undefined, SHELL);
  return linkWords(`${full} was signed out everywhere, and the old password holds no more`, secret);
}

async function token(app: AppContext, name: string, given: Given): Promise<string> {
  const { id } = await found(app, name);
  const days = given.days === undefined ? TOKEN_DAYS : Number(given.days);
  const asked = parsed(newTokenSchema, {
    name: given.name ?? 'made at the shell',
    role: given.role ?? null,
    days,
  });
  return `${await makeToken(app, id, asked, undefined, SHELL)}\n`;
}

async function list(app: AppContext): Promise<string> {
  const accounts = await listAccounts(app.db);
  const lines = accounts.map(({ name, account, isAdministrator, hasPassword, hasLeft }) => {
    const facts = [
      account === null ? 'no account' : `signs in as ${account}`,
      ...(isAdministrator ? ['administrator'] : []),
      ...(account !== null && !hasPassword ? ['has chosen no password yet'] : []),
      ...(hasLeft ? ['has left'] : []),
    ];
    return `${name}: ${facts.join(', ')}\n`;
  });
  return lines.join('');
}

/** By the name or the account name, whatever the case. */
async function found(app: AppContext, name: string) {
  const wanted = name.trim().toLowerCase();
  const account = (await listAccounts(app.db)).find(
    (each) => each.account === wanted || each.name.toLowerCase() === wanted,
  );
  if (!account) throw new UsageError(`there is no person “${name}”; \`person list\` names everybody`);
  return account;
}

const linkWords = (what: string, secret: string): string =>
  `${what}. This link lets them choose a password, once and within three days; put the address of your Flagstone before it:\n  /join#${secret}\n`;

function parsed<Value>(schema: z.ZodType<Value>, given: unknown): Value {
  const result = schema.safeParse(given);
  if (!result.success) throw new UsageError(z.prettifyError(result.error));
  return result.data;
}
