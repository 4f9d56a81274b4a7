// Creates a table, loads rows in bulk and queries them over the driver tedious, whose
// folder is the first argument; the second one is the port. It prints what comes back.
const { Connection, Request, TYPES } = require(process.argv[2] + '/node_modules/tedious');

const connection = new Connection({
  server: 'localhost',
  authentication: { type: 'default', options: { userName: 'sa', password: 'Amber!1' } },
  options: { port: Number(process.argv[3]), database: 'museum', encrypt: true, trustServerCertificate: true },
});

const run = (sql, parameters = []) => new Promise((resolve, reject) => {
  const rows = [];
  const request = new Request(sql, (error, count) => (error ? reject(error) : resolve({ rows, count })));
  for (const [name, type, value] of parameters) request.addParameter(name, type, value);
  request.on('row', (columns) => rows.push(columns.map((c) => c.value)));
  if (parameters.length > 0) connection.execSql(request);
  else connection.execSqlBatch(request);
});

const load = (rows) => new Promise((resolve, reject) => {
  const bulk = connection.newBulkLoad('shelf', { keepNulls: true }, (error, count) => (error ? reject(error) : resolve(count)));
  bulk.addColumn('no', TYPES.Int, { nullable: false });
  bulk.addColumn('name', TYPES.NVarChar, { length: 20, nullable: true });
  bulk.addColumn('mass', TYPES.Decimal, { precision: 9, scale: 2, nullable: true });
  bulk.addColumn('found', TYPES.Date, { nullable: true });
  bulk.addColumn('seen', TYPES.DateTime2, { scale: 6, nullable: true });
  bulk.addColumn('lent', TYPES.Bit, { nullable: true });
  bulk.addColumn('note', TYPES.NVarChar, { length: Infinity, nullable: true });
  bulk.addColumn('depth', TYPES.Float, { nullable: true });
  connection.execBulkLoad(bulk, rows);
});

async function story() {
  await run(`CREATE TABLE shelf (no int NOT NULL PRIMARY KEY, name nvarchar(20), mass decimal(9,2), found date,
    seen datetime2(6), lent bit, note nvarchar(max), depth float)`);
  const day = new Date(Date.UTC(2026, 0, 31));
  console.log(await load([[1, 'Müller 漢', -12.5, day, new Date(Date.UTC(2026, 0, 31, 10, 0, 0)), true, 'x'.repeat(9000), 0.1], [2, null, null, null, null, null, null, null]]));
  const { rows } = await run('SELECT no, name, mass, found, seen, lent, len(note), depth FROM shelf ORDER BY no');
  for (const row of rows) console.log(JSON.stringify(row));
  console.log(JSON.stringify((await run('SELECT name FROM shelf WHERE no = @no', [['no', TYPES.Int, 1]])).rows));
  await run('INSERT INTO shelf (no) VALUES (1)').catch((error) => console.log(error.number));
  await load([[3, 'x', null, null, null, null, null, null], [2, 'y', null, null, null, null, null, null]]).catch((error) => console.log(error.number));
  console.log((await run('SELECT count(*) FROM shelf')).rows[0][0]);
}

connection.connect((error) => {
  if (error) throw error;
  story().then(() => connection.close());
});
