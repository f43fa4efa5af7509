/** State of the palette and of the list of keys: open or not. */
import { ref } from 'vue';

export const paletteOpen = ref(false);
export const keysOpen = ref(false);
export const openPalette = (): void => void (paletteOpen.value = true);
