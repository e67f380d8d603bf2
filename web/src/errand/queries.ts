import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';

export const useErrands = () =>
  useQuery({ queryKey: keys.errands, queryFn: () => unwrap(client.GET('/api/errands')) });

export const useCame = (errand: string) =>
  useQuery({
    queryKey: [...keys.errands, errand, 'came'],
    queryFn: () => unwrap(client.GET('/api/errands/{errand}/came', { params: { path: { errand } } })),
  });

const errandsChanged = () => [keys.errands, keys.day].forEach(stale);

// useSaveErrand writes an errand, a new one where none is given. version is the one that was seen.
export const useSaveErrand = (errand?: string, version?: number) =>
  useMutation({
    mutationFn: (text: string) =>
      errand === undefined
        ? unwrap(client.POST('/api/errands', { body: { text } }))
        : unwrap(
            client.PATCH('/api/errands/{errand}', { params: { path: { errand } }, body: { text, version } }),
          ),
    onSuccess: errandsChanged,
  });
export const useSwitchErrand = () =>
  useMutation({
    mutationFn: ({ errand, on }: { errand: string; on: boolean }) =>
      unwrap(client.PATCH('/api/errands/{errand}', { params: { path: { errand } }, body: { on } })),
    onSettled: errandsChanged,
  });
export const useRunErrand = () =>
  useMutation({
    mutationFn: (errand: string) =>
      unwrap(client.POST('/api/errands/{errand}/run', { params: { path: { errand } } })),
    onSettled: errandsChanged,
  });
export const useRemoveErrand = () =>
  useMutation({
    mutationFn: (errand: string) =>
      unwrap(client.DELETE('/api/errands/{errand}', { params: { path: { errand } } })),
    onSuccess: errandsChanged,
  });

// useErrandCheck is how an errand is understood that is being written.
export const useErrandCheck = (text: string) =>
  useQuery({
    queryKey: [...keys.errands, 'check', text],
    queryFn: () => unwrap(client.POST('/api/errand-check', { body: { text } })),
    enabled: text.trim() !== '',
    retry: false,
    gcTime: 0,
  });

// useErrandOffers is what may stand at the end of an errand that is being written.
export const useErrandOffers = (text: string) =>
  useQuery({
    queryKey: [...keys.errands, 'offers', text],
    queryFn: () => unwrap(client.POST('/api/errand-complete', { body: { text: text || ' ' } })),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 0,
  });

// useTryErrand puts an errand on trial, or makes it real.
export const useTryErrand = () =>
  useMutation({
    mutationFn: ({ errand, trial }: { errand: string; trial: boolean }) =>
      unwrap(client.PATCH('/api/errands/{errand}', { params: { path: { errand } }, body: { trial } })),
    onSettled: errandsChanged,
  });

// useRehearse says what an errand would have done in the last days, or, below 0, in the coming ones.
export const useRehearse = () =>
  useMutation({
    mutationFn: (body: { errand?: string; text?: string; days: number }) =>
      unwrap(client.POST('/api/errand-rehearse', { body })),
  });

// useDay is what a day of the house was, and is to be; "" is today.
export const useDay = (date: string) =>
  useQuery({
    queryKey: [...keys.day, date],
    queryFn: () => unwrap(client.GET('/api/day', { params: { query: date ? { date } : {} } })),
    placeholderData: keepPreviousData,
    refetchInterval: 60_000, // its clock goes on
  });

// useThen is what was believed and measured at a time; "" is not asked.
export const useThen = (at: string) =>
  useQuery({
    queryKey: [...keys.day, 'then', at],
    queryFn: () => unwrap(client.GET('/api/then', { params: { query: { at } } })),
    enabled: at !== '',
    placeholderData: keepPreviousData,
    gcTime: 0,
  });

export const useHabits = (enabled: boolean) =>
  useQuery({
    queryKey: [...keys.day, 'habits'],
    queryFn: () => unwrap(client.GET('/api/errand-habits')),
    enabled,
    gcTime: 0,
  });
export const useBlind = (enabled: boolean) =>
  useQuery({
    queryKey: [...keys.day, 'blind'],
    queryFn: () => unwrap(client.GET('/api/errand-blind', { params: { query: {} } })),
    enabled,
    gcTime: 0,
  });

export const useQuiet = () =>
  useQuery({ queryKey: [...keys.errands, 'quiet'], queryFn: () => unwrap(client.GET('/api/quiet')) });
export const usePutQuiet = () =>
  useMutation({
    mutationFn: (for_ms: number) => unwrap(client.PUT('/api/quiet', { body: { for_ms } })),
    onSettled: errandsChanged,
  });
