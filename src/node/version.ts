/** Name and version as files and sidecars carry it. */
export const APPLICATION = 'Careful Vault 0.1.0';
