"""Compiled decoding of the Protocol Buffers wire format, as far as OSM PBF needs it.

Every kernel walks a byte array (uint8) and gives back positions and flat arrays. A negative count or position means that
the bytes are malformed: a number runs past its end, an unknown wire type, lists of unequal length. Nothing is read outside
the range a kernel is given.
Wire format: *Protocol Buffers Encoding*, protobuf.dev. Signed numbers are zigzag coded, lists of ids are delta coded.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.core.kernels import njit_no_refcount

BROKEN = -1
STRINGS, GROUP, GRANULARITY, LAT_OFFSET, LON_OFFSET = 1, 2, 17, 19, 20
NODES, DENSE, WAYS, RELATIONS = 1, 2, 3, 4


@njit_no_refcount
def varint(buf, pos, end):
    """The unsigned number at `pos` and the position after it; a position of -1 when it is malformed.

    Parameters:
        buf: the bytes of a block.
        pos: where to begin.
        end: where the message ends.
    """
    if pos >= end:
        return np.int64(0), np.int64(BROKEN)
    byte = np.int64(buf[pos])
    if byte < 128:
        return byte, pos + 1
    value = byte & 127
    shift = 7
    while shift < 70:
        pos += 1
        if pos >= end:
            break
        byte = np.int64(buf[pos])
        value |= (byte & 127) << shift
        if byte < 128:
            return value, pos + 1
        shift += 7
    return np.int64(0), np.int64(BROKEN)


@njit_no_refcount
def _signed(value):
    return ((value >> 1) & np.int64(0x7FFFFFFFFFFFFFFF)) ^ -(value & 1)


@njit(cache=True, nogil=True, inline="always")
def field(buf, pos, end):
    """(number, begin, stop, value, next): one field of a message.

    `begin` to `stop` are the bytes of a length-delimited field, `value` the number of a varint field; `next` is -1 when
    the field is malformed.

    Parameters:
        buf: the bytes of a block.
        pos: where to begin.
        end: where the message ends.
    """
    # Numbers of one byte, which most are, are read in place: a call for each would cost more than all the rest.
    if pos + 1 < end and buf[pos] < 128:
        tag = np.int64(buf[pos])
        pos += 1
    else:
        tag, pos = varint(buf, pos, end)
        if pos < 0:
            return np.int64(0), pos, pos, tag, pos
    number, wire = tag >> 3, tag & 7
    if wire == 0:
        value, after = varint(buf, pos, end)
        return number, pos, pos, value, after
    if wire == 2:
        if pos < end and buf[pos] < 128:
            length = np.int64(buf[pos])
            pos += 1
        else:
            length, pos = varint(buf, pos, end)
        if pos < 0 or length < 0 or length > end - pos:
            return number, pos, pos, length, np.int64(BROKEN)
        return number, pos, pos + length, length, pos + length
    size = 8 if wire == 1 else 4 if wire == 5 else 0
    if size == 0 or end - pos < size:
        return number, pos, pos, tag, np.int64(BROKEN)
    return number, pos, pos, tag, pos + size


@njit_no_refcount
def layout(buf, strings, groups, numbers):
    """Fill `strings` (s, 2) and `groups` (g, 2) with the spans of a block's strings and groups; returns both counts.

    Called with empty arrays it only counts. `numbers` receives granularity, latitude and longitude offset.

    Parameters:
        buf: the bytes of a block.
        strings: spans (s, 2) of the strings, filled here.
        groups: spans (g, 2) of the groups, filled here.
        numbers: granularity, latitude and longitude offset, filled here.
    """
    n_strings, n_groups, pos, end = 0, 0, np.int64(0), np.int64(len(buf))
    while pos < end:
        number, begin, stop, value, pos = field(buf, pos, end)
        if pos < 0:
            return BROKEN, BROKEN
        if number == STRINGS:
            at = begin
            while at < stop:
                _, first, last, _, at = field(buf, at, stop)
                if at < 0:
                    return BROKEN, BROKEN
                if n_strings < len(strings):
                    strings[n_strings, 0] = first
                    strings[n_strings, 1] = last
                n_strings += 1
        elif number == GROUP:
            if n_groups < len(groups):
                groups[n_groups, 0] = begin
                groups[n_groups, 1] = stop
            n_groups += 1
        elif number == GRANULARITY:
            numbers[0] = value
        elif number == LAT_OFFSET:
            numbers[1] = value
        elif number == LON_OFFSET:
            numbers[2] = value
    return n_strings, n_groups


@njit(cache=True, nogil=True)
def hashes(buf, spans, longest):
    """FNV-1a hash of each string of at most `longest` bytes; 0 for longer ones.

    Parameters:
        buf: the bytes of a block.
        spans: spans (s, 2) of the strings.
        longest: the longest string that matters, in bytes.
    """
    out = np.zeros(len(spans), np.uint64)
    for i in range(len(spans)):
        if spans[i, 1] - spans[i, 0] > longest:
            continue
        value = np.uint64(14695981039346656037)
        for pos in range(spans[i, 0], spans[i, 1]):
            value = (value ^ np.uint64(buf[pos])) * np.uint64(1099511628211)
        out[i] = value
    return out


@njit_no_refcount
def numbers_of(buf, pos, end, out, delta):
    """Decode a packed list into `out`, zigzag and delta coded when `delta`; returns its length.

    Parameters:
        buf: the bytes of a block.
        pos: where to begin.
        end: where the list ends.
        out: numbers, filled here.
        delta: whether they are zigzag and delta coded.
    """
    count, last = 0, np.int64(0)
    while pos < end:
        byte = np.int64(buf[pos])
        pos += 1
        value, shift = byte & 127, 7
        while byte >= 128:
            if pos >= end or shift > 63:
                return BROKEN
            byte = np.int64(buf[pos])
            pos += 1
            value |= (byte & 127) << shift
            shift += 7
        if count >= len(out):
            return BROKEN
        if delta:
            last += _signed(value)
            out[count] = last
        else:
            out[count] = value
        count += 1
    return count


@njit_no_refcount
def dense_nodes(buf, start, stop, ids, lats, lons, tags):
    """Ids and raw coordinates of a DenseNodes message; `tags` receives the span of its keys and values.

    Parameters:
        buf: the bytes of a block.
        start: where the message begins.
        stop: where it ends.
        ids: ids, filled here.
        lats: raw latitudes, filled here.
        lons: raw longitudes, filled here.
        tags: the span of keys and values, filled here.
    """
    n_id, n_lat, n_lon, pos = 0, 0, 0, start
    tags[0], tags[1] = 0, 0
    while pos < stop:
        number, begin, end, _, pos = field(buf, pos, stop)
        if pos < 0:
            return BROKEN
        if number == 1:
            n_id = numbers_of(buf, begin, end, ids, True)
        elif number == 8:
            n_lat = numbers_of(buf, begin, end, lats, True)
        elif number == 9:
            n_lon = numbers_of(buf, begin, end, lons, True)
        elif number == 10:
            tags[0], tags[1] = begin, end
    return n_id if n_id == n_lat and n_id == n_lon else BROKEN


@njit_no_refcount
def dense_tags(group, tags):
    """Tags of dense nodes that carry a selecting key; returns how many, with the row of the node of each.

    Parameters:
        group: the list of keys and values, and the keys that matter (`Group`).
        tags: tags, filled here (`TagRoom`).
    """
    buf, pos, end, key_of = group.content, group.start, group.stop, group.key_of
    count, row, first, wanted = 0, 0, 0, False
    while pos < end:
        key, pos = varint(buf, pos, end)
        if pos < 0 or key >= len(key_of):
            return BROKEN
        if key == 0:
            if not wanted:
                count = first
            row, first, wanted = row + 1, count, False
            continue
        value, pos = varint(buf, pos, end)
        if pos < 0 or value >= len(key_of):
            return BROKEN
        known = key_of[key]
        if known >= 0:
            tags.row[count], tags.key[count], tags.value[count] = row, known, value
            wanted |= group.selects[known]
            count += 1
    return count if wanted else first


@njit_no_refcount
def _pairs(group, key_at, key_end, value_at, value_end, row, count, tags):
    """Known tags of one element appended at `count`; returns the new count and whether a selecting key was seen."""
    buf, key_of = group.content, group.key_of
    wanted = False
    while key_at < key_end:
        if buf[key_at] < 128:
            key = np.int64(buf[key_at])
            key_at += 1
        else:
            key, key_at = varint(buf, key_at, key_end)
        if value_at < value_end and buf[value_at] < 128:
            value = np.int64(buf[value_at])
            value_at += 1
        else:
            value, value_at = varint(buf, value_at, value_end)
        if key_at < 0 or value_at < 0 or key >= len(key_of) or value >= len(key_of):
            return BROKEN, False
        known = key_of[key]
        if known >= 0:
            tags.row[count], tags.key[count], tags.value[count] = row, known, value
            wanted |= group.selects[known]
            count += 1
    return count, wanted


@njit(cache=True, nogil=True)
def plain_nodes(group, ids, lats, lons, tags):
    """Nodes written one message each: counts of nodes and of the tags of those with a selecting key.

    Parameters:
        group: the bytes to read and the keys that matter (`Group`).
        ids: ids, filled here.
        lats: raw latitudes, filled here.
        lons: raw longitudes, filled here.
        tags: tags, filled here (`TagRoom`).
    """
    buf, stop = group.content, group.stop
    n, count, pos = 0, 0, group.start
    while pos < stop:
        number, begin, end, _, pos = field(buf, pos, stop)
        if pos < 0:
            return BROKEN, BROKEN
        if number != NODES:
            continue
        key_at, key_end, value_at, value_end, at = begin, begin, begin, begin, begin
        while at < end:
            inner, first, last, value, at = field(buf, at, end)
            if at < 0:
                return BROKEN, BROKEN
            if inner == 1:
                ids[n] = _signed(value)
            elif inner == 2:
                key_at, key_end = first, last
            elif inner == 3:
                value_at, value_end = first, last
            elif inner == 8:
                lats[n] = _signed(value)
            elif inner == 9:
                lons[n] = _signed(value)
        more, wanted = _pairs(group, key_at, key_end, value_at, value_end, n, count, tags)
        if more < 0:
            return BROKEN, BROKEN
        count = more if wanted else count
        n += 1
    return n, count


@njit_no_refcount
def ways(group, members, ids, ref_end, refs, tags):
    """Ways with a selecting key, or whose id is among the sorted `members`: (kept, references, tags, seen).

    Parameters:
        group: the bytes to read and the keys that matter (`Group`).
        members: sorted ids of the ways that multipolygons need.
        ids: ids, filled here.
        ref_end: where the references of each way end, filled here.
        refs: references to nodes, filled here.
        tags: tags, filled here (`TagRoom`).
    """
    buf, stop = group.content, group.stop
    n_ways, n_refs, n_tags, seen, pos = 0, 0, 0, 0, group.start
    while pos < stop:
        number, begin, end, _, pos = field(buf, pos, stop)
        if pos < 0:
            return BROKEN, BROKEN, BROKEN, BROKEN
        if number != WAYS:
            continue
        seen += 1
        ident, at = np.int64(0), begin
        key_at, key_end, value_at, value_end, ref_at, ref_stop = begin, begin, begin, begin, begin, begin
        while at < end:
            inner, first, last, value, at = field(buf, at, end)
            if at < 0:
                return BROKEN, BROKEN, BROKEN, BROKEN
            if inner == 1:
                ident = value
            elif inner == 2:
                key_at, key_end = first, last
            elif inner == 3:
                value_at, value_end = first, last
            elif inner == 8:
                ref_at, ref_stop = first, last
        more, wanted = _pairs(group, key_at, key_end, value_at, value_end, n_ways, n_tags, tags)
        if more < 0:
            return BROKEN, BROKEN, BROKEN, BROKEN
        if not wanted:
            place = np.searchsorted(members, ident)
            if place == len(members) or members[place] != ident:
                continue
        count = numbers_of(buf, ref_at, ref_stop, refs[n_refs:], True)
        if count < 0:
            return BROKEN, BROKEN, BROKEN, BROKEN
        n_tags, n_refs = more, n_refs + count
        ids[n_ways], ref_end[n_ways] = ident, n_refs
        n_ways += 1
    return n_ways, n_refs, n_tags, seen


@njit_no_refcount
def place_nodes(ids, lats, lons, needed, needed_lat, needed_lon, is_found, where):
    """Write the coordinates of needed nodes to their place in the sorted `needed`; `where` (n,) is that place or -1.

    Parameters:
        ids: ids of the nodes read.
        lats: their raw latitudes.
        lons: their raw longitudes.
        needed: sorted ids of the nodes that ways need.
        needed_lat: latitudes of the needed nodes, filled here.
        needed_lon: longitudes of the needed nodes, filled here.
        is_found: mask of the needed nodes that were found, filled here.
        where: the place (n,) of each node among the needed, or -1; filled here.
    """
    low = 0
    for i in range(len(ids)):
        ident = ids[i]
        if low > 0 and needed[low - 1] >= ident:
            low = 0  # ids do not ascend here: begin anew
        # Gallop from the last place, then halve: ids mostly ascend, so this is constant time on average.
        step = 1
        while low + step < len(needed) and needed[low + step] < ident:
            step *= 2
        high = min(low + step, len(needed))
        low += step >> 1
        while low < high:
            middle = (low + high) >> 1
            if needed[middle] < ident:
                low = middle + 1
            else:
                high = middle
        where[i] = -1
        if low < len(needed) and needed[low] == ident:
            needed_lat[low], needed_lon[low], is_found[low] = lats[i], lons[i], True
            where[i] = low


@njit(cache=True, nogil=True)
def relations(group, ids, members, tags):
    """Relations with a selecting key: (kept, members, tags).

    Parameters:
        group: the bytes to read and the keys that matter (`Group`).
        ids: ids, filled here.
        members: members, filled here (`MemberRoom`).
        tags: tags, filled here (`TagRoom`).
    """
    buf, stop = group.content, group.stop
    n_relations, n_members, n_tags, pos = 0, 0, 0, group.start
    while pos < stop:
        number, begin, end, _, pos = field(buf, pos, stop)
        if pos < 0:
            return BROKEN, BROKEN, BROKEN
        if number != RELATIONS:
            continue
        ident, at = np.int64(0), begin
        spans = np.zeros((11, 2), np.int64)
        while at < end:
            inner, first, last, value, at = field(buf, at, end)
            if at < 0:
                return BROKEN, BROKEN, BROKEN
            if inner == 1:
                ident = value
            elif inner < 11:
                spans[inner, 0], spans[inner, 1] = first, last
        more, wanted = _pairs(group, spans[2, 0], spans[2, 1], spans[3, 0], spans[3, 1], n_relations, n_tags, tags)
        if more < 0:
            return BROKEN, BROKEN, BROKEN
        if not wanted:
            continue
        roles = numbers_of(buf, spans[8, 0], spans[8, 1], members.role[n_members:], False)
        count = numbers_of(buf, spans[9, 0], spans[9, 1], members.id[n_members:], True)
        kinds = numbers_of(buf, spans[10, 0], spans[10, 1], members.kind[n_members:], False)
        if count < 0 or roles != count or kinds != count:
            return BROKEN, BROKEN, BROKEN
        for i in range(n_members, n_members + count):
            if members.role[i] >= len(group.key_of):
                return BROKEN, BROKEN, BROKEN
        n_tags, n_members = more, n_members + count
        ids[n_relations], members.end[n_relations] = ident, n_members
        n_relations += 1
    return n_relations, n_members, n_tags


@njit(cache=True, nogil=True)
def by_key(tag_row, tag_key, tag_value, n_keys, n_strings):
    """Tags sorted by key: (start, row, code, distinct_start, distinct).

    Those of key k are `start[k]` to `start[k + 1]`; `code` numbers the values of each key from 0, in order of appearance,
    and `distinct` lists the string numbers they stand for, from `distinct_start[k]` on.

    Parameters:
        tag_row: the element of each tag.
        tag_key: its key.
        tag_value: its value, a string number.
        n_keys: how many keys there are.
        n_strings: how many strings there are.
    """
    count = len(tag_key)
    start, distinct_start = np.zeros(n_keys + 1, np.int64), np.zeros(n_keys + 1, np.int64)
    for i in range(count):
        start[tag_key[i] + 1] += 1
    for k in range(n_keys):
        start[k + 1] += start[k]
    row, value = np.empty(count, np.int64), np.empty(count, np.int64)
    cursor = start.copy()
    for i in range(count):
        at = cursor[tag_key[i]]
        row[at], value[at] = tag_row[i], tag_value[i]
        cursor[tag_key[i]] += 1
    code, distinct = np.empty(count, np.int32), np.empty(count, np.int64)
    number = np.full(n_strings, -1, np.int32)
    size = 0
    for k in range(n_keys):
        distinct_start[k] = size
        for i in range(start[k], start[k + 1]):
            text = value[i]
            if number[text] < 0:
                number[text] = size - distinct_start[k]
                distinct[size] = text
                size += 1
            code[i] = number[text]
        for i in range(distinct_start[k], size):
            number[distinct[i]] = -1
    distinct_start[n_keys] = size
    return start, row, code, distinct_start, distinct[:size]
