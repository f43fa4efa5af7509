/**
 * What Node is started with for the server. Short-lived objects have more room: each visit makes some 20 KB of them, and
 * they are gone before the room is full, instead of being copied again and again (docs/decisions/0007). It takes 100 MB.
 */
export const SERVER_FLAGS = ['--min-semi-space-size=64', '--max-semi-space-size=64'];
