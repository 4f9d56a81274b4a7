// Reads scripts by a grammar that is not ours, and says where they do not follow it.
const { antlr4tsSQL, SQLDialect } = require('antlr4ts-sql')
const fs = require('fs')
console.error = () => {} // which the parser writes to as well
const [grammar, ...files] = process.argv.slice(2)
for (const file of files) {
  const text = fs.readFileSync(file, 'utf8')
    .replace(/^BULK INSERT .*;$/mg, '') // a statement that the grammar does not know
    .replace(/^(SET (DEFINE|SQLBLANKLINES|LINESIZE|PAGESIZE)|WHENEVER|COLUMN) .*$/mg, '') // commands of the client
  const listener = { syntaxError: (_r, _s, line, column, message) => console.log(`${file}:${line}:${column} ${message.slice(0, 80)}`) }
  new antlr4tsSQL(SQLDialect[grammar]).getParseTreeFromSQL(text, [listener])
}
