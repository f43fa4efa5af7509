/** Why nothing can be shown; empty while all is well. */
import { ref } from 'vue';

export const failure = ref('');
