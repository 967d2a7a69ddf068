import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { call, useKnown, type CallResult } from './api.js';

export type Sealing = CallResult<'seal.standing'>;

export const useSealing = (isOwner: boolean) => {
  const { version, sealings } = useKnown();
  return useQuery({
    queryKey: ['sealing', version, sealings],
    queryFn: () => call('seal.standing', {}),
    placeholderData: keepPreviousData,
    enabled: isOwner,
    retry: false,
  });
};

/** Why the sealed files are not the site as it is. */
export const changeWords: Readonly<Record<NonNullable<Sealing['changed']>, string>> = {
  policy: 'The policy has changed since the files were sealed.',
  files: 'Files of the site have changed since they were sealed.',
  unfinished: 'The last sealing was broken off, so the sealed files are not whole.',
  time: 'Something has begun or ended since the files were sealed.',
};
