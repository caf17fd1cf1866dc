BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL
);
INSERT INTO "about" VALUES(3);
CREATE TABLE deliveries (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR, 
	attempts INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "deliveries" VALUES(1,1,'f00042@members.tarnvale.example','sent',250,'taken','2026-11-29T02:47:09.006+00:00',1);
INSERT INTO "deliveries" VALUES(2,2,'f117@members.tarnvale.example','unsure',NULL,'connection lost before the answer','2026-11-29T02:47:09.011+00:00',1);
INSERT INTO "deliveries" VALUES(3,3,'f118@members.tarnvale.example','waiting',NULL,'',NULL,0);
INSERT INTO "deliveries" VALUES(4,4,'f119@members.tarnvale.example','refused',550,'no such box','2026-11-29T02:47:09.015+00:00',0);
INSERT INTO "deliveries" VALUES(5,5,'f120@members.tarnvale.example','handing',NULL,'',NULL,0);
CREATE TABLE documents (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	name TEXT NOT NULL, 
	report VARCHAR NOT NULL, 
	format VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	bytes INTEGER NOT NULL, 
	pages INTEGER, 
	rows INTEGER NOT NULL, 
	content VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884',29058,1,1,'9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884');
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0',29059,1,1,'94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0');
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718',29058,1,1,'18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718');
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398',29056,1,1,'1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398');
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920',29057,1,1,'3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920');
CREATE TABLE events (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	package_id INTEGER, 
	at VARCHAR NOT NULL, 
	what TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-29T02:47:06.592+00:00','preparing');
INSERT INTO "events" VALUES(2,1,1,'2026-11-29T02:47:06.647+00:00','ready');
INSERT INTO "events" VALUES(3,1,2,'2026-11-29T02:47:06.647+00:00','ready');
INSERT INTO "events" VALUES(4,1,3,'2026-11-29T02:47:06.647+00:00','held: more than the tank holds');
INSERT INTO "events" VALUES(5,1,4,'2026-11-29T02:47:06.647+00:00','ready');
INSERT INTO "events" VALUES(6,1,5,'2026-11-29T02:47:06.647+00:00','ready');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-29T02:47:06.656+00:00','prepared');
INSERT INTO "events" VALUES(8,1,1,'2026-11-29T02:47:07.995+00:00','trial to me@tarnvale.example: sent');
INSERT INTO "events" VALUES(9,1,1,'2026-11-29T02:47:08.999+00:00','archive: a/00042 statement.pdf: sent');
INSERT INTO "events" VALUES(10,1,1,'2026-11-29T02:47:09.006+00:00','f00042@members.tarnvale.example: sent (250 taken)');
INSERT INTO "events" VALUES(11,1,2,'2026-11-29T02:47:09.008+00:00','archive: a/117 statement.pdf: sent');
INSERT INTO "events" VALUES(12,1,2,'2026-11-29T02:47:09.011+00:00','f117@members.tarnvale.example: unsure (connection lost before the answer)');
INSERT INTO "events" VALUES(13,1,4,'2026-11-29T02:47:09.013+00:00','archive: a/119 statement.pdf: sent');
INSERT INTO "events" VALUES(14,1,4,'2026-11-29T02:47:09.015+00:00','f119@members.tarnvale.example: refused (550 no such box)');
CREATE TABLE filings (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	way VARCHAR NOT NULL, 
	root VARCHAR NOT NULL, 
	place TEXT NOT NULL, 
	existing VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	put_at TEXT NOT NULL, 
	reply TEXT NOT NULL, 
	at VARCHAR, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "filings" VALUES(1,1,'folder','archive','a/00042 statement.pdf','keep both','9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884','sent','a/00042 statement.pdf','','2026-11-29T02:47:08.997+00:00');
INSERT INTO "filings" VALUES(2,2,'folder','archive','a/117 statement.pdf','keep both','94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0','sent','a/117 statement.pdf','','2026-11-29T02:47:09.008+00:00');
INSERT INTO "filings" VALUES(3,3,'folder','archive','a/118 statement.pdf','keep both','18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718','waiting','','',NULL);
INSERT INTO "filings" VALUES(4,4,'folder','archive','a/119 statement.pdf','keep both','1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398','sent','a/119 statement.pdf','','2026-11-29T02:47:09.013+00:00');
INSERT INTO "filings" VALUES(5,5,'folder','archive','a/120 statement.pdf','keep both','3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920','waiting','','',NULL);
CREATE TABLE messages (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	message_id VARCHAR NOT NULL, 
	called VARCHAR NOT NULL, 
	subject TEXT NOT NULL, 
	sender TEXT NOT NULL, 
	server VARCHAR NOT NULL, 
	"to" JSON NOT NULL, 
	cc JSON NOT NULL, 
	bcc JSON NOT NULL, 
	files JSON NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	UNIQUE (message_id)
);
INSERT INTO "messages" VALUES(1,1,'<5ddee51135620b76e14fe56faa00636d@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f00042@members.tarnvale.example"]','[]','[]','["00042 statement.pdf"]','c00a832414fbf147378e10ca53aecb110a6c18d5aebdc52508e6ca93878a2d37');
INSERT INTO "messages" VALUES(2,2,'<20af47dd22f3d92a35d5236de662bbaf@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f117@members.tarnvale.example"]','[]','[]','["117 statement.pdf"]','03517422cd104436cd1c77550d22cd1bf991e79e067854c74a2401b163b8ce10');
INSERT INTO "messages" VALUES(3,3,'<fec95b1d8de9a4242dbc56e2c7e9eb01@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f118@members.tarnvale.example"]','[]','[]','["118 statement.pdf"]','2c9c99f3e22cdae0592eb32d9bc3fadee8f9421b4517cad1002fe30f633634ac');
INSERT INTO "messages" VALUES(4,4,'<f53f6431473657e0f6c74a5a068d4e0a@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f119@members.tarnvale.example"]','[]','[]','["119 statement.pdf"]','158da52374115f08b8f772a6356ef50c9f0be188ecd81530b6f1c07792062984');
INSERT INTO "messages" VALUES(5,5,'<95d9e60ff30d89ebc8843253bdb24092@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f120@members.tarnvale.example"]','[]','[]','["120 statement.pdf"]','4903b3423e511b3dded6141995f7e22c4aca544b04d2e1ad96add7372ce9abf8');
CREATE TABLE packages (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	"key" TEXT NOT NULL, 
	name TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	prepared_as VARCHAR NOT NULL, 
	reason TEXT NOT NULL, 
	rows INTEGER NOT NULL, 
	figures JSON NOT NULL, 
	odd JSON NOT NULL, 
	seal VARCHAR(64) NOT NULL, 
	steps JSON NOT NULL, 
	keys JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','Farm 00042','sent','ready','',1,'{"rows": "1", "payable": "588.05"}','[]','3b9f6a1590d330f16460adabdbe59d117050fd8fdc43a40686a9544c15708eba','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(2,1,'117','Farm 117','unsure','ready','f117@members.tarnvale.example: connection lost before the answer',1,'{"rows": "1", "payable": "392.40"}','[]','b78a9cc10737beb735cd593fc827b45e33b3c98bb884cad644671a8642455b68','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(3,1,'118','Farm 118','held','held','more than the tank holds',1,'{"rows": "1", "payable": "3136.00"}','[]','18a904e4d8af9893d6eaff16d924c6045d01818589c6b4750575a933af6b70cb','[["a lot", true, ["hold: more than the tank holds"], []]]','[]');
INSERT INTO "packages" VALUES(4,1,'119','Farm 119','failed','ready','f119@members.tarnvale.example: no such box',1,'{"rows": "1", "payable": "10.00"}','[]','85e1f05c272957fd11c24b43312eb185c5dad19853d56ca823935cc5e9563879','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(5,1,'120','Farm 120','ready','ready','',1,'{"rows": "1", "payable": "11.00"}','[]','309c94251293cc8661c3cbc645fe244219523155a71902a4d1d8ac35200ea4b3','[["a lot", false, [], []]]','[]');
CREATE TABLE runs (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	title TEXT NOT NULL, 
	job_sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	as_of VARCHAR(10) NOT NULL, 
	prepared VARCHAR NOT NULL, 
	seconds INTEGER NOT NULL, 
	parameters JSON NOT NULL, 
	period VARCHAR NOT NULL, 
	account JSON NOT NULL, 
	findings JSON NOT NULL, 
	reviewed VARCHAR, 
	PRIMARY KEY (id)
);
INSERT INTO "runs" VALUES(1,'statements','Milk statements','236fbe61269ab0c4ffffc9bce818612a94a952ed07e1950d5fc2c5473f4c5bd2','prepared','2026-11-05','2026-11-29T02:47:06.589+00:00',315,'{"period": "2026-10"}','period 2026-10','{"measured": {"recipients": 5, "totals": {"rows": "5", "payable": "4137.45"}}, "read": 5, "delivered": 4, "withheld": {"rule": 1}, "controls": [{"column": "amount", "whole": "4137.45", "delivered": "1001.45", "withheld": "3136.00"}]}','[]',NULL);
CREATE TABLE trials (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "trials" VALUES(1,1,'me@tarnvale.example','sent',250,'taken','2026-11-29T02:47:07.993+00:00');
CREATE UNIQUE INDEX packages_by_run ON packages (run_id, "key");
CREATE INDEX ix_documents_package_id ON documents (package_id);
CREATE INDEX ix_messages_package_id ON messages (package_id);
CREATE INDEX ix_filings_package_id ON filings (package_id);
CREATE INDEX filings_by_place ON filings (root, put_at);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_deliveries_message_id ON deliveries (message_id);
CREATE INDEX ix_trials_message_id ON trials (message_id);
COMMIT;
