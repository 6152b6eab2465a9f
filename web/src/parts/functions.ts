/** The words a formula is made of, as they are offered while one is typed. */
export const AGGREGATES: [string, string][] = [
  ['sum', 'the total'],
  ['mean', 'the mean of the rows'],
  ['count', 'how many rows'],
  ['distinct', 'how many different ones'],
  ['where', 'only the rows that …'],
]
export const FUNCTIONS: [string, string][] = [
  ['min', 'the smallest value'],
  ['max', 'the largest value'],
  ['median', 'the middle value'],
  ['stdev', 'the standard deviation'],
  ['prior', 'n periods back: prior(sum(fare), 1)'],
  ['year_ago', 'the same period a year back: year_ago(sum(fare))'],
  ['to_date', 'the year so far: to_date(sum(fare))'],
  ['rolling', 'the last n periods: rolling(sum(fare), 12)'],
  ['share', 'of that of all members: share(sum(fare))'],
  ['usual_low', 'the low end of what was usual before: usual_low(sum(fare))'],
  ['usual_middle', 'the middle of what was usual before'],
  ['usual_high', 'the high end of what was usual before'],
  ['if', 'if(count() > 30, mean(score), 0)'],
  ['least', 'the smaller of two or more figures'],
  ['greatest', 'the larger of two or more figures'],
  ['abs', 'the size, without its sign'],
  ['round', 'round(mean(score), 1)'],
]
/** Over the cells of a row. */
export const ROW_FUNCTIONS: [string, string][] = [
  ['if', 'if(delay > 5, "late", "on time")'],
  ['weekday', 'weekday(day), such as "Monday"'],
  ['month', 'month(day), such as "January"'],
  ['days', 'from one day to another: days(ordered, delivered)'],
  ['steps', 'named ranges: steps(delay, 5, 15, 60)'],
]
