import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'postgresql',
  schema: [
    './server/src/db/schema.ts',
    './server/src/db/finding-schema.ts',
    './server/src/db/acts-schema.ts',
    './server/src/db/people-schema.ts',
    './server/src/db/review-schema.ts',
    './server/src/db/remarks-schema.ts',
    './server/src/db/drift-schema.ts',
    './server/src/db/sheets-schema.ts',
    './server/src/db/deliveries-schema.ts',
    './server/src/db/recordings-schema.ts',
    './server/src/db/arrivals-schema.ts',
    './server/src/db/backup-schema.ts',
  ],
  out: './server/migrations',
});
