import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { clearedRoomSchema, roomSchema, type ClearRoom, type RoomRule } from '@mivvy/api';
import { useChange } from './changes.ts';
import { getJson, sendJson } from './client.ts';
import { keys } from './keys.ts';

/** What lies on the disk, and what would go by a rule. */
export const useRoom = (rule: RoomRule) =>
  useQuery({
    queryKey: [...keys.room, rule],
    queryFn: ({ signal }) =>
      getJson(roomSchema, `/room?idleDays=${rule.idleDays}&keepFiles=${rule.keepFiles}`, signal),
    placeholderData: keepPreviousData,
  });

export const useClearRoom = () =>
  useChange(
    (what: ClearRoom) => sendJson(clearedRoomSchema, 'POST', '/room/clear', what),
    (client) => client.invalidateQueries({ queryKey: keys.room }),
  );
