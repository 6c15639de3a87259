-- A field whose name has one of these words in it is personal: its values are masked for readers.
alter table site add column personal_words text[] not null default array[
    'email', 'mail', 'phone', 'telephone', 'mobile', 'fax', 'first name', 'last name', 'full name', 'given name', 'family name', 'surname', 'street', 'address', 'postcode', 'zip', 'birth', 'contact name'];
