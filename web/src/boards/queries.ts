import { useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap, type BoardState, type SectionText, type TileUse } from '../api/client';
import { keys, queryClient } from '../api/queries';
import { stale } from '../api/stale';
import { moves } from './face';

export const useBoards = () =>
  useQuery({ queryKey: keys.boards, queryFn: () => unwrap(client.GET('/api/boards')) });

export const useBoard = (slug: string) =>
  useQuery({
    queryKey: [...keys.boards, slug],
    queryFn: () => unwrap(client.GET('/api/boards/{board}', { params: { path: { board: slug } } })),
    enabled: slug !== '',
  });

// soon is how often in ms it is asked what something is at that changes with time alone: what travels or warms up.
const soon = 1000;

// useBoardState is what the tiles of a board are at. Only the tiles that changed are drawn anew: what is as it was stays
// the same object.
export const useBoardState = (slug: string) =>
  useQuery({
    queryKey: [...keys.boardStates, slug],
    queryFn: () => unwrap(client.GET('/api/boards/{board}/state', { params: { path: { board: slug } } })),
    enabled: slug !== '',
    refetchInterval: (q) => (moves(q.state.data as BoardState | undefined) ? soon : false),
  });

// useTile does what a tile offers.
export const useTile = (board: string, tile: string) =>
  useMutation({
    mutationKey: ['use', board, tile],
    mutationFn: (body: TileUse) =>
      unwrap(
        client.POST('/api/boards/{board}/tiles/{tile}/use', { params: { path: { board, tile } }, body }),
      ),
    onSettled: () => stale(keys.boardStates),
  });

export const useAnswerQuestion = () =>
  useMutation({
    mutationFn: ({ question, value }: { question: string; value: string }) =>
      unwrap(
        client.POST('/api/questions/{question}/answer', { params: { path: { question } }, body: { value } }),
      ),
    onSettled: () => stale(keys.boardStates),
  });

const changed = () => {
  stale(keys.boards);
  stale(keys.boardStates);
};

export const useAddBoard = () =>
  useMutation({
    mutationFn: (body: { name: string; sections?: SectionText[]; automatic?: boolean }) =>
      unwrap(client.POST('/api/boards', { body })),
    onSuccess: changed,
  });

export const useChangeBoard = (board: string) =>
  useMutation({
    mutationFn: (body: { name?: string; sections?: SectionText[]; automatic?: boolean; version?: number }) =>
      unwrap(client.PATCH('/api/boards/{board}', { params: { path: { board } }, body })),
    onSuccess: (b) => {
      queryClient.setQueryData([...keys.boards, b.slug], b);
      changed();
    },
  });

export const useRemoveBoard = () =>
  useMutation({
    mutationFn: (board: string) =>
      unwrap(client.DELETE('/api/boards/{board}', { params: { path: { board } } })),
    onSuccess: changed,
  });

export const useOccasionPlan = (occasion: string, what: 'start' | 'end' | 'right', enabled: boolean) =>
  useQuery({
    queryKey: [...keys.occasions, occasion, 'plan', what],
    queryFn: () =>
      unwrap(
        client.GET('/api/occasions/{occasion}/plan', { params: { path: { occasion }, query: { what } } }),
      ),
    enabled,
    staleTime: 0,
    gcTime: 0,
  });

export const useOccasions = () =>
  useQuery({ queryKey: keys.occasions, queryFn: () => unwrap(client.GET('/api/occasions')) });
