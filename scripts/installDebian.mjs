/** installDebian.mjs <postgresql | chromium | curl> …: installs what of these is missing, one after the other, as apt wants it. */
import { CannotStart, ensureChromium, ensureCurl, ensurePostgres } from './install.mjs';

const ensure = { postgresql: ensurePostgres, chromium: ensureChromium, curl: ensureCurl };
try {
  for (const name of process.argv.slice(2)) ensure[name]();
} catch (error) {
  if (!(error instanceof CannotStart)) throw error;
  console.error(error.message);
  process.exitCode = 1;
}
