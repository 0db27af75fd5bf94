"""What each function of expressions takes and gives, in a sentence; for whoever writes one."""

from collections.abc import Mapping

from msgspec import Struct


class FunctionHelp(Struct, frozen=True):
    """How a function is called, and what it gives."""

    signature: str
    sentence: str


_LINES = """
sum(x) | The sum of x over the rows.
avg(x) | The mean of x over the rows.
min(x) | The smallest x.
max(x) | The largest x.
count(*) | The number of rows; count(x) counts those with a value.
median(x) | The middle value of x.
stddev_samp(x) | The standard deviation of a sample.
stddev_pop(x) | The standard deviation of all values.
var_samp(x) | The variance of a sample.
var_pop(x) | The variance of all values.
first(x) | The x of the first row.
last(x) | The x of the last row.
any_value(x) | Any x that there is.
bool_and(x) | Whether x holds in all rows.
bool_or(x) | Whether x holds in at least one row.
quantile_cont(x, 0.9) | The value below which a share of x lies, between two values where needed.
quantile_disc(x, 0.9) | The first value below which at least a share of x lies.
mode(x) | The most frequent x.
string_agg(x, ', ') | The texts of all rows in one, with a text between them.
list(x) | All x as a list, for sparklines.
weighted_avg(x, weight) | The mean of x, each counted by its weight.
row_number() over level | The number of the row in its group, from 1.
rank() over (level order by x) | The rank; equal values share one, and leave a gap.
dense_rank() over (level order by x) | The rank without gaps.
lag(x) over level | The x of the row before.
lead(x) over level | The x of the row after.
first_value(x) over level | The x of the first row of the group.
last_value(x) over level | The x of the last row of the group.
ntile(4) over (level order by x) | Which of four parts of equal size the row is in.
percent_rank() over (level order by x) | The rank as a share, from 0 to 1.
abs(x) | x without its sign.
ceil(x) | The next whole number upward.
ceiling(x) | The next whole number upward.
floor(x) | The next whole number downward.
round(x, 2) | x rounded to so many decimals.
sign(x) | Its sign: 1, 0 or -1.
sqrt(x) | The square root.
power(x, 2) | x to a power.
pow(x, 2) | x to a power.
exp(x) | e to the power of x.
ln(x) | The natural logarithm.
log(x) | The logarithm to base 10.
log10(x) | The logarithm to base 10.
mod(x, 7) | What is left of x divided by a number.
trunc(x) | x without its decimals.
greatest(a, b) | The largest of several values.
least(a, b) | The smallest of several values.
coalesce(a, b) | The first value that is not missing.
nullif(a, b) | a, or nothing where it equals b; nullif(x, 0) guards a division.
if(condition, a, b) | a where the condition holds, else b.
lower(text) | In small letters.
upper(text) | In capitals.
trim(text) | Without spaces at both ends.
ltrim(text) | Without spaces at the left.
rtrim(text) | Without spaces at the right.
length(text) | The number of characters.
substring(text, 1, 3) | A part of a text: from a character, so many.
substr(text, 1, 3) | A part of a text: from a character, so many.
left(text, 3) | The first characters.
right(text, 3) | The last characters.
replace(text, 'a', 'b') | The text with one part replaced by another wherever it is.
concat(a, b) | Several texts in one.
concat_ws(', ', a, b) | Several texts in one, with a text between them.
strpos(text, 'a') | Where a text begins in another, from 1; 0 if nowhere.
contains(text, 'a') | Whether a text is in another.
starts_with(text, 'a') | Whether a text begins with another.
ends_with(text, 'a') | Whether a text ends with another.
reverse(text) | The text backwards.
split_part(text, '-', 1) | The part of a text at a place, where it is split.
format_date(day, 'MMM y') | A date as text, by a pattern in the report's locale.
initcap(text) | Each word with a capital.
date_trunc('month', day) | The first moment of a period: year, quarter, month, week, day, hour.
time_bucket(interval '15 minutes', at) | The first moment of a span of time of any length.
date_part('year', day) | A part of a date as a number.
extract(year from day) | A part of a date as a number.
year(day) | The year.
quarter(day) | The quarter, 1 to 4.
month(day) | The month, 1 to 12.
week(day) | The ISO week.
day(day) | The day of the month.
hour(at) | The hour.
minute(at) | The minute.
second(at) | The second.
dayofweek(day) | The day of the week, Sunday is 0.
isodow(day) | The day of the week, Monday is 1.
dayofyear(day) | The day of the year.
date_diff('day', begin, end) | How many periods begin between two dates.
date_add(day, interval '1 month') | A later date.
date_sub('day', begin, end) | How many whole periods lie between two dates.
datediff('day', begin, end) | How many periods begin between two dates.
last_day(day) | The last day of its month.
make_date(2025, 3, 1) | The date of a year, a month and a day.
strftime(day, '%Y-%m') | A date as text, by percent signs.
dayname(day) | The day of the week in English.
monthname(day) | The month in English.
epoch(at) | The seconds since 1970.
cast(x as integer) | x as another type.
try_cast(x as integer) | x as another type; missing where it cannot be.
case when x > 0 then 'a' else 'b' end | One of several values, by conditions.
between | x between 1 and 9: whether x lies in a range.
like | text like 'A%': % stands for any letters, _ for one.
ilike | As like, in capitals or small letters.
in | x in (1, 2): whether x is one of several.
is | x is null: whether x is missing.
not | The opposite of a condition.
and | Both conditions hold.
or | At least one condition holds.
xor(a, b) | Exactly one of two conditions holds.
label(:name) | What readers chose for a parameter, as its list shows it.
page_number() | The number of the page.
page_count() | The number of pages.
report_title() | The report's title.
data_time() | As of when the data are.
depth() | In a tree, how deep the group lies.
row_block(25) | The number of the block of so many rows that the row is in.
"""
_PARTS = [line.split(" | ") for line in _LINES.strip().splitlines()]
FUNCTION_HELP: Mapping[str, FunctionHelp] = {
    signature.split("(")[0].split()[0]: FunctionHelp(signature, sentence) for signature, sentence in _PARTS
}
"""Help by the functions' names."""
