/** The screen that could not be loaded. */
import { ref } from 'vue';

/** Its address; empty when all is well. */
export const notLoaded = ref('');
