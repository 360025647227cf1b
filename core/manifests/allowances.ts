/** Annotations of a namespace that say what its pods may use: several names, parted by commas. */
export const sizeAllowance = 'gyrarch/machine-sizes'
export const storageAllowance = 'gyrarch/storage-classes'
