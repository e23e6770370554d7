/** HTTP dates (RFC 9110 section 5.6.7): IMF-fixdate is written, all three forms are read. */

/** The objects of a release have few dates, and are asked for one after the other. */
function rememberLast<From, To>(make: (from: From) => To): (from: From) => To {
  let last: { readonly from: From; readonly to: To } | undefined;
  return (from) => (last?.from === from ? last : (last = { from, to: make(from) })).to;
}

export const formatHttpDate = rememberLast((milliseconds: number): string =>
  new Date(milliseconds).toUTCString(),
);

const MONTHS = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ');
const IMF = /^(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun), (\d{2}) ([A-Z][a-z]{2}) (\d{4}) (\d{2}):(\d{2}):(\d{2}) GMT$/;
const RFC850 =
  /^(?:Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day, (\d{2})-([A-Z][a-z]{2})-(\d{2}) (\d{2}):(\d{2}):(\d{2}) GMT$/;
const ASCTIME = /^(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun) ([A-Z][a-z]{2}) ([ \d]\d) (\d{2}):(\d{2}):(\d{2}) (\d{4})$/;

/** Milliseconds since the epoch, or undefined when the text is not an HTTP date. */
export const parseHttpDate = rememberLast((text: string): number | undefined => {
  let match = IMF.exec(text);
  if (match) return at(match[3], match[2], match[1], match.slice(4, 7));
  match = RFC850.exec(text);
  if (match) {
    const two = Number(match[3]);
    return at(String(two < 70 ? 2000 + two : 1900 + two), match[2], match[1], match.slice(4, 7));
  }
  match = ASCTIME.exec(text);
  return match ? at(match[6], match[1], match[2]?.trim(), match.slice(3, 6)) : undefined;
});

function at(
  year: string | undefined,
  month: string | undefined,
  day: string | undefined,
  time: string[],
): number | undefined {
  const index = MONTHS.indexOf(month ?? '');
  const [hour, minute, second] = time.map(Number);
  if (index < 0 || hour === undefined || minute === undefined || second === undefined) return undefined;
  if (hour > 23 || minute > 59 || second > 60) return undefined;
  const value = Date.UTC(Number(year), index, Number(day), hour, minute, second);
  return new Date(value).getUTCDate() === Number(day) || second === 60 ? value : undefined;
}
