/** A made-up episode: shows what a pattern comes to. */
export const EXAMPLE = {
  work: 'Slack Water',
  year: '1987',
  series: 'Tide Tables',
  season: '1',
  episode: '2',
  title: '3',
  disc: 'Tide Tables',
  language: 'en',
  accession: 'HM 1987.12',
};
