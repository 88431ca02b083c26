Pod::Spec.new do |s|
  s.name = 'turnstone_links'
  s.version = '2.2.0'
  s.summary = 'Opens links to sites and follows links into the app.'
  s.homepage = 'https://docs.marram.example/turnstone_links'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
