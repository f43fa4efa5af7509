/**
 * Zod would try out eval for speed when the first schema is made; our content security policy forbids it, and the
 * browser would log the try. Imported before everything that makes schemas.
 */
import { config } from 'zod';

config({ jitless: true });
