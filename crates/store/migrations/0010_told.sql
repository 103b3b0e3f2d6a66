-- Whether most repetitions were read well enough for a clear fault to show. Not known of takes that were judged before,
-- or come from an older archive: they are asked by the error of their mean alone until they are judged again.
alter table take_fault add column told boolean;
