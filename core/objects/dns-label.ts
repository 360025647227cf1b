/** A label of a name (RFC 1123, section 2.1), in small letters: what clusters, sites, namespaces and services are called. */
export const dnsLabel = /^[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?$/
