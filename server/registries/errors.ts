/** An error as the OCI Distribution Specification tells it: a status, a code of its list, and what is wrong. */
export class RegistryError extends Error {
  constructor(
    readonly status: number,
    readonly code:
      | 'BLOB_UNKNOWN'
      | 'BLOB_UPLOAD_INVALID'
      | 'BLOB_UPLOAD_UNKNOWN'
      | 'DENIED'
      | 'DIGEST_INVALID'
      | 'MANIFEST_BLOB_UNKNOWN'
      | 'MANIFEST_INVALID'
      | 'MANIFEST_UNKNOWN'
      | 'NAME_INVALID'
      | 'NAME_UNKNOWN'
      | 'SIZE_INVALID'
      | 'UNAUTHORIZED'
      | 'UNKNOWN'
      | 'UNSUPPORTED',
    message: string,
    readonly headers: Readonly<Record<string, string>> = {},
  ) {
    super(message)
  }
}
