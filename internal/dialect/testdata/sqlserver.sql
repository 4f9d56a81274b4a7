SET XACT_ABORT ON;
BEGIN TRANSACTION;
CREATE TABLE museum.loan (
    loan_no                     int               NOT NULL,
    part                        varchar(20)       NOT NULL,
    [order]                     smallint          DEFAULT -7,
    bigint_3                    bigint,
    decimal_4                   decimal(7,2)      DEFAULT 1.50,
    decimal_5                   decimal(38,0)     DEFAULT 12345678901234567890123,
    double_6                    float(53)         DEFAULT 0.05,
    boolean_7                   bit               DEFAULT 1,
    date_8                      date              DEFAULT '2026-01-05',
    date_9                      date              DEFAULT '2026-02-05',
    time_0                      time(6)           DEFAULT '08:05:00',
    timestamp_1                 datetime2(6)      DEFAULT '2026-01-05T00:00:00',
    text_12                     nvarchar(max)     DEFAULT (REPLACE(N'it''s|late' COLLATE Latin1_General_BIN2, N'|', NCHAR(10))),
    timestamp_with_time_zone_3  datetimeoffset(6) DEFAULT '2026-01-05T08:00:00+00:00',
    char_4                      char(5),
    uuid_5                      uniqueidentifier,
    varchar_6                   varchar(max),
    PRIMARY KEY (loan_no, part)
);
EXEC sys.sp_addextendedproperty @name = N'MS_Description', @value = N'Loans, it''s
all of them', @level0type = N'SCHEMA', @level0name = N'museum', @level1type = N'TABLE', @level1name = N'loan';
EXEC sys.sp_addextendedproperty @name = N'MS_Description', @value = N'counts
by ''ones''', @level0type = N'SCHEMA', @level0name = N'museum', @level1type = N'TABLE', @level1name = N'loan', @level2type = N'COLUMN', @level2name = N'bigint_3';
CREATE INDEX loan_order_ix ON museum.loan ([order]);
CREATE INDEX loan_date_9_text_12_ix ON museum.loan (date_9, text_12);
COMMIT TRANSACTION;
ALTER TABLE museum.loan ADD PRIMARY KEY (loan_no, part);
-- loan_no, part, [order], bigint_3, decimal_4, decimal_5, double_6, boolean_7, date_8, date_9, time_0, timestamp_1, text_12, timestamp_with_time_zone_3, char_4, uuid_5, varchar_6
