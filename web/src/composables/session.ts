import { readonly, ref } from 'vue'

const lost = ref(false)

/**
 * Somebody who was signed in is not any more: the server has said so, in answer to whatever was
 * asked. The page stays as it is, with what was being written on it, until they are again.
 */
export const signedOut = readonly(lost)
export const sayLost = () => void (lost.value = true)
export const sayFound = () => void (lost.value = false)
