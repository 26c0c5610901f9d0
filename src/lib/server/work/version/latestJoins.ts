/**
 * A job `j` with its newest survey `s` to plan on, its newest goal `g`, that goal's newest route `r`, its newest
 * rehearsal `e`, and its newest sheet `h`.
 */
export const LATEST_JOINS = `
    LEFT JOIN surveys s ON s.id = (SELECT MAX(id) FROM surveys WHERE job_id = j.id AND purpose = 'found')
    LEFT JOIN goals g ON g.id = (SELECT MAX(id) FROM goals WHERE job_id = j.id)
    LEFT JOIN routes r ON r.id = (SELECT MAX(id) FROM routes WHERE goal_id = g.id)
    LEFT JOIN rehearsals e ON e.id = (SELECT MAX(id) FROM rehearsals WHERE job_id = j.id)
    LEFT JOIN sheets h ON h.id = (SELECT MAX(id) FROM sheets WHERE job_id = j.id)`;

export const SURVEY_COLUMNS = `
  s.id AS \`survey.id\`, s.source AS \`survey.source\`, s.document AS \`survey.document\`, s.created_at AS \`survey.createdAt\`,
  s.image AS \`survey.image\``;

export const GOAL_COLUMNS = `
  g.id AS \`goal.id\`, g.survey_id AS \`goal.surveyId\`, g.disk_number AS \`goal.disk\`,
  g.partition_number AS \`goal.partition\`, g.size_bytes AS \`goal.size\`, g.options AS \`goal.options\`,
  g.tools_print AS \`goal.tools\`, g.keep_free_percent AS \`goal.keepFreePercent\``;

export const REHEARSAL_COLUMNS = `
  e.id AS \`rehearsal.id\`, e.state AS \`rehearsal.state\`, e.verdict AS \`rehearsal.verdict\`,
  e.changed_at AS \`rehearsal.changedAt\`, e.place AS \`rehearsal.place\`, e.image AS \`rehearsal.image\`, e.elsewhere AS \`rehearsal.elsewhere\`, JSON_VALUE(e.progress, '$.cuts') AS \`rehearsal.cuts\`,
  e.survey_id <=> s.id AND e.goal_id <=> g.id AND e.chosen <=> r.chosen AS \`rehearsal.current\``;

export const SHEET_COLUMNS = `
  h.id AS \`sheet.id\`, h.survey_id AS \`sheet.surveyId\`, h.items AS \`sheet.items\`, h.done AS \`sheet.done\`,
  h.failed AS \`sheet.failed\``;
