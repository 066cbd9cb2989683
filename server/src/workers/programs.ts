import { fileURLToPath } from 'node:url';

/** Flagstone's own programs and workers, as `npm run build -w server` bundles them: TypeScript takes seconds to load, a bundle a fraction. */
export const programPath = (name: string): string => fileURLToPath(new URL(`../../dist/${name}.js`, import.meta.url));
