import * as z from 'zod';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { typefaceSchema } from '@mivvy/api';
import { getJson, remove, sendFile } from './client.ts';
import { keys } from './keys.ts';

/** The workspace's own typefaces, by what they call themselves. */
export const useTypefaces = () =>
  useQuery({
    queryKey: keys.typefaces,
    queryFn: ({ signal }) => getJson(z.array(typefaceSchema), '/typefaces', signal),
  });

/** Takes a typeface in. */
export const useBringInTypeface = () => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (file: File) =>
      sendFile(typefaceSchema, 'POST', `/typefaces?name=${encodeURIComponent(file.name)}`, file),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.typefaces }),
  });
};

/** Offers a typeface no more; words that are set in it stay so. */
export const useDropTypeface = () => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (own: string) => remove(`/typefaces/${own}`),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.typefaces }),
  });
};
